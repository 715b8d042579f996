/* Programs that present by Vulkan: a layer under the loader's public interface, asked for by its name. It lies in the
   same library as the rest of the tap. Only the one function by which the loader and a layer agree is shown: were
   vkGetInstanceProcAddr, the loader's own would win inside this library and vkCreateInstance would call itself. */

#include "present.h"

#include <stdlib.h>
#include <vulkan/vk_layer.h>
#include <vulkan/vulkan.h>

#define NAMES 240 /* bytes of a list of names on the sheet */

/* The loader and all layers know a handle by what it points to: it is one for an instance and its physical devices, and
   one for a device and its queues. */
static void *key_of(const void *handle) { return *(void *const *)handle; }

typedef struct {
    int claimed;
    void *key; /* NULL: free, or being filled */
    VkInstance instance;
    PFN_vkGetInstanceProcAddr find;
    /* Asked for while the instance is made: later the loader answers with the whole chain's, which begins before us. */
    PFN_vkDestroyInstance destroy;
    PFN_vkGetPhysicalDeviceProperties properties;
    PFN_vkGetPhysicalDeviceProperties2 more_properties;
} instance_behind;

typedef struct {
    int claimed;
    void *key;
    PFN_vkGetDeviceProcAddr find;
    PFN_vkQueuePresentKHR present;
    PFN_vkCreateSwapchainKHR create_chain;
    PFN_vkDestroySwapchainKHR destroy_chain;
    PFN_vkDestroyDevice destroy;
    VkPhysicalDeviceProperties is;
    VkPhysicalDeviceDriverProperties driver;
    char abilities[NAMES];
} device_behind;

/* A window is its surface: when it is resized its chain of pictures is made anew. */
typedef struct {
    int claimed;
    VkSwapchainKHR chain; /* 0: free, or being filled */
    VkSurfaceKHR surface;
    VkExtent2D size;
    VkPresentModeKHR mode;
    uint32_t pictures;
} chain_known;

static instance_behind instances[PLACES];
static device_behind devices[PLACES];
static chain_known chains[4 * PLACES];

#define CLAIM(table)                                                                                                   \
    ({                                                                                                                 \
        __typeof__(&(table)[0]) got = NULL;                                                                            \
        for (unsigned i = 0; !got && i < sizeof(table) / sizeof *(table); i++) {                                       \
            int none = 0;                                                                                              \
            if (__atomic_compare_exchange_n(&(table)[i].claimed, &none, 1, 0, __ATOMIC_ACQ_REL, __ATOMIC_RELAXED))     \
                got = &(table)[i];                                                                                     \
        }                                                                                                              \
        got;                                                                                                           \
    })
#define FIND(table, by, wanted)                                                                                        \
    ({                                                                                                                 \
        __typeof__(&(table)[0]) got = NULL;                                                                            \
        for (unsigned i = 0; !got && i < sizeof(table) / sizeof *(table); i++)                                         \
            if (__atomic_load_n(&(table)[i].by, __ATOMIC_ACQUIRE) == (wanted)) got = &(table)[i];                      \
        got;                                                                                                           \
    })
#define SHOW(place, by, value) __atomic_store_n(&(place)->by, value, __ATOMIC_RELEASE)
#define LET_GO(place, by)                                                                                              \
    do {                                                                                                               \
        __atomic_store_n(&(place)->by, 0, __ATOMIC_RELEASE);                                                           \
        __atomic_store_n(&(place)->claimed, 0, __ATOMIC_RELEASE);                                                      \
    } while (0)

static instance_behind *instance_of(const void *handle) { return FIND(instances, key, key_of(handle)); }
static device_behind *device_of(const void *handle) { return FIND(devices, key, key_of(handle)); }

/* ---- presents ---- */

static const char *mode_called(VkPresentModeKHR mode) {
    switch (mode) {
    case VK_PRESENT_MODE_IMMEDIATE_KHR: return "immediate";
    case VK_PRESENT_MODE_MAILBOX_KHR: return "mailbox";
    case VK_PRESENT_MODE_FIFO_KHR: return "fifo, paced by the screen";
    case VK_PRESENT_MODE_FIFO_RELAXED_KHR: return "fifo relaxed, paced by the screen unless late";
    default: return "another";
    }
}

static void describe(window *w, const device_behind *device, const chain_known *chain) {
    const VkPhysicalDeviceProperties *is = &device->is;
    char text[NAMES + 2 * VK_MAX_DRIVER_INFO_SIZE];
    window_columns(w, "Vulkan", "picture", NULL);
    snprintf(text, sizeof text, "Vulkan %u.%u.%u", VK_API_VERSION_MAJOR(is->apiVersion), VK_API_VERSION_MINOR(is->apiVersion),
             VK_API_VERSION_PATCH(is->apiVersion));
    vigilant_condition(w->out, "graphics interface", text);
    vigilant_condition(w->out, "renderer", is->deviceName);
    if (device->driver.driverName[0]) snprintf(text, sizeof text, "%s %s", device->driver.driverName, device->driver.driverInfo);
    else snprintf(text, sizeof text, "of vendor 0x%x, version 0x%x", is->vendorID, is->driverVersion);
    vigilant_condition(w->out, "driver", text);
    vigilant_condition(w->out, "graphics time", is->deviceType == VK_PHYSICAL_DEVICE_TYPE_CPU ? "not taken: a software renderer" : "not taken through Vulkan");
    vigilant_condition(w->out, "present mode", mode_called(chain->mode));
    snprintf(text, sizeof text, "%u at least", chain->pictures);
    vigilant_condition(w->out, "pictures in the chain", text);
    vigilant_condition(w->out, "abilities", device->abilities[0] ? device->abilities : "none asked for");
    window_size(w, chain->size.width, chain->size.height);
}

static VKAPI_ATTR VkResult VKAPI_CALL present(VkQueue queue, const VkPresentInfoKHR *what) {
    device_behind *device = device_of(queue);
    window *shown[PLACES] = {NULL};
    chain_known *of[PLACES] = {NULL};
    int outermost = !inside_present;
    int64_t called;
    VkResult done;
    if (!device) return VK_ERROR_DEVICE_LOST; /* not of a device that was made through us */
    inside_present = 1;
    for (uint32_t i = 0; outermost && i < what->swapchainCount && i < PLACES; i++) {
        int first = 0;
        if (!(of[i] = FIND(chains, chain, what->pSwapchains[i]))) continue;
        shown[i] = window_presents(device->key, (void *)(uintptr_t)of[i]->surface, &first);
        if (shown[i] && first) describe(shown[i], device, of[i]);
    }
    called = vigilant_now_ns();
    done = device->present(queue, what);
    for (uint32_t i = 0; i < PLACES; i++) {
        VkResult own = done < 0 && what->pResults && i < what->swapchainCount ? what->pResults[i] : done;
        if (shown[i] && own >= 0) window_presented(shown[i], called, of[i]->size.width, of[i]->size.height);
    }
    if (outermost) inside_present = 0;
    return done;
}

static VKAPI_ATTR VkResult VKAPI_CALL create_chain(VkDevice handle, const VkSwapchainCreateInfoKHR *how, const VkAllocationCallbacks *by, VkSwapchainKHR *chain) {
    device_behind *device = device_of(handle);
    VkResult done = device ? device->create_chain(handle, how, by, chain) : VK_ERROR_DEVICE_LOST;
    chain_known *known = done == VK_SUCCESS ? CLAIM(chains) : NULL;
    if (!known) return done;
    known->surface = how->surface;
    known->size = how->imageExtent;
    known->mode = how->presentMode;
    known->pictures = how->minImageCount;
    SHOW(known, chain, *chain);
    return done;
}

static VKAPI_ATTR void VKAPI_CALL destroy_chain(VkDevice handle, VkSwapchainKHR chain, const VkAllocationCallbacks *by) {
    device_behind *device = device_of(handle);
    chain_known *known = chain ? FIND(chains, chain, chain) : NULL;
    if (known) LET_GO(known, chain);
    if (device) device->destroy_chain(handle, chain, by);
}

/* ---- instances and devices ---- */

/* What lies behind us in the loader's chain; the next layer is given the rest of it. */
#define LINK(type, kind, first)                                                                                        \
    ({                                                                                                                 \
        type *at = (type *)(first);                                                                                    \
        while (at && !(at->sType == (kind) && at->function == VK_LAYER_LINK_INFO)) at = (type *)at->pNext;             \
        at;                                                                                                            \
    })

static VKAPI_ATTR VkResult VKAPI_CALL create_instance(const VkInstanceCreateInfo *how, const VkAllocationCallbacks *by, VkInstance *instance) {
    VkLayerInstanceCreateInfo *link = LINK(VkLayerInstanceCreateInfo, VK_STRUCTURE_TYPE_LOADER_INSTANCE_CREATE_INFO, how->pNext);
    PFN_vkGetInstanceProcAddr find;
    PFN_vkCreateInstance create;
    instance_behind *known;
    VkResult done;
    if (!link) return VK_ERROR_INITIALIZATION_FAILED;
    find = link->u.pLayerInfo->pfnNextGetInstanceProcAddr;
    create = (PFN_vkCreateInstance)find(NULL, "vkCreateInstance");
    if (!create) return VK_ERROR_INITIALIZATION_FAILED;
    if (!(known = CLAIM(instances))) return VK_ERROR_TOO_MANY_OBJECTS;
    link->u.pLayerInfo = link->u.pLayerInfo->pNext;
    done = create(how, by, instance);
    if (done != VK_SUCCESS) {
        LET_GO(known, key);
        return done;
    }
    known->instance = *instance;
    known->find = find;
    known->destroy = (PFN_vkDestroyInstance)find(*instance, "vkDestroyInstance");
    known->properties = (PFN_vkGetPhysicalDeviceProperties)find(*instance, "vkGetPhysicalDeviceProperties");
    known->more_properties = (PFN_vkGetPhysicalDeviceProperties2)find(*instance, "vkGetPhysicalDeviceProperties2");
    SHOW(known, key, key_of(*instance));
    return done;
}

static VKAPI_ATTR void VKAPI_CALL destroy_instance(VkInstance instance, const VkAllocationCallbacks *by) {
    instance_behind *known = instance ? instance_of(instance) : NULL;
    PFN_vkDestroyInstance destroy = known ? known->destroy : NULL;
    if (known) LET_GO(known, key);
    if (destroy) destroy(instance, by);
}

static void say_device(device_behind *device, const instance_behind *instance, VkPhysicalDevice physical, const VkDeviceCreateInfo *how) {
    size_t used = 0;
    memset(&device->driver, 0, sizeof device->driver);
    memset(&device->is, 0, sizeof device->is);
    if (instance->properties) instance->properties(physical, &device->is);
    if (instance->more_properties && device->is.apiVersion >= VK_API_VERSION_1_2) {
        VkPhysicalDeviceProperties2 asked = {.sType = VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PROPERTIES_2, .pNext = &device->driver};
        device->driver.sType = VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_DRIVER_PROPERTIES;
        instance->more_properties(physical, &asked);
    }
    device->abilities[0] = 0;
    for (uint32_t i = 0; i < how->enabledExtensionCount && used < NAMES; i++)
        used += (size_t)snprintf(device->abilities + used, NAMES - used, "%s%s", used ? ", " : "", how->ppEnabledExtensionNames[i]);
}

static VKAPI_ATTR VkResult VKAPI_CALL create_device(VkPhysicalDevice physical, const VkDeviceCreateInfo *how, const VkAllocationCallbacks *by, VkDevice *handle) {
    VkLayerDeviceCreateInfo *link = LINK(VkLayerDeviceCreateInfo, VK_STRUCTURE_TYPE_LOADER_DEVICE_CREATE_INFO, how->pNext);
    instance_behind *instance = instance_of(physical);
    PFN_vkCreateDevice create;
    PFN_vkGetDeviceProcAddr find;
    device_behind *device;
    VkResult done;
    if (!link || !instance) return VK_ERROR_INITIALIZATION_FAILED;
    find = link->u.pLayerInfo->pfnNextGetDeviceProcAddr;
    create = (PFN_vkCreateDevice)link->u.pLayerInfo->pfnNextGetInstanceProcAddr(instance->instance, "vkCreateDevice");
    if (!create) return VK_ERROR_INITIALIZATION_FAILED;
    if (!(device = CLAIM(devices))) return VK_ERROR_TOO_MANY_OBJECTS;
    link->u.pLayerInfo = link->u.pLayerInfo->pNext;
    done = create(physical, how, by, handle);
    if (done != VK_SUCCESS) {
        LET_GO(device, key);
        return done;
    }
    device->find = find;
    device->present = (PFN_vkQueuePresentKHR)find(*handle, "vkQueuePresentKHR");
    device->create_chain = (PFN_vkCreateSwapchainKHR)find(*handle, "vkCreateSwapchainKHR");
    device->destroy_chain = (PFN_vkDestroySwapchainKHR)find(*handle, "vkDestroySwapchainKHR");
    device->destroy = (PFN_vkDestroyDevice)find(*handle, "vkDestroyDevice");
    say_device(device, instance, physical, how);
    SHOW(device, key, key_of(*handle));
    return done;
}

static VKAPI_ATTR void VKAPI_CALL destroy_device(VkDevice handle, const VkAllocationCallbacks *by) {
    device_behind *device = handle ? device_of(handle) : NULL;
    PFN_vkDestroyDevice destroy = device ? device->destroy : NULL;
    if (device) LET_GO(device, key);
    if (destroy) destroy(handle, by);
}

/* ---- how the loader finds us ---- */

static VKAPI_ATTR PFN_vkVoidFunction VKAPI_CALL find_in_device(VkDevice device, const char *name);
static VKAPI_ATTR PFN_vkVoidFunction VKAPI_CALL find_in_instance(VkInstance instance, const char *name);

static PFN_vkVoidFunction ours(const char *name, int of_device) {
    static const struct {
        const char *name;
        PFN_vkVoidFunction own;
        int of_device;
    } table[] = {
        {"vkGetDeviceProcAddr", (PFN_vkVoidFunction)find_in_device, 1},
        {"vkDestroyDevice", (PFN_vkVoidFunction)destroy_device, 1},
        {"vkGetInstanceProcAddr", (PFN_vkVoidFunction)find_in_instance, 0},
        {"vkCreateInstance", (PFN_vkVoidFunction)create_instance, 0},
        {"vkDestroyInstance", (PFN_vkVoidFunction)destroy_instance, 0},
        {"vkCreateDevice", (PFN_vkVoidFunction)create_device, 0},
    };
    for (unsigned i = 0; i < sizeof table / sizeof *table; i++)
        if ((table[i].of_device || !of_device) && !strcmp(name, table[i].name)) return table[i].own;
    return NULL;
}

/* The functions that present are there only where those behind us are. */
static PFN_vkVoidFunction presenting(const char *name, PFN_vkVoidFunction found) {
    if (!found) return found;
    if (!strcmp(name, "vkQueuePresentKHR")) return (PFN_vkVoidFunction)present;
    if (!strcmp(name, "vkCreateSwapchainKHR")) return (PFN_vkVoidFunction)create_chain;
    if (!strcmp(name, "vkDestroySwapchainKHR")) return (PFN_vkVoidFunction)destroy_chain;
    return found;
}

static VKAPI_ATTR PFN_vkVoidFunction VKAPI_CALL find_in_device(VkDevice handle, const char *name) {
    PFN_vkVoidFunction own = ours(name, 1);
    device_behind *device = own ? NULL : device_of(handle);
    return own ? own : device ? presenting(name, device->find(handle, name)) : NULL;
}

static VKAPI_ATTR PFN_vkVoidFunction VKAPI_CALL find_in_instance(VkInstance handle, const char *name) {
    PFN_vkVoidFunction own = ours(name, 0);
    instance_behind *instance = own || !handle ? NULL : instance_of(handle);
    return own ? own : instance ? presenting(name, instance->find(handle, name)) : NULL;
}

SHOWN VKAPI_ATTR VkResult VKAPI_CALL vkNegotiateLoaderLayerInterfaceVersion(VkNegotiateLayerInterface *agreed) {
    if (agreed->sType != LAYER_NEGOTIATE_INTERFACE_STRUCT || agreed->loaderLayerInterfaceVersion < 2) return VK_ERROR_INITIALIZATION_FAILED;
    agreed->loaderLayerInterfaceVersion = 2;
    agreed->pfnGetInstanceProcAddr = find_in_instance;
    agreed->pfnGetDeviceProcAddr = find_in_device;
    agreed->pfnGetPhysicalDeviceProcAddr = NULL;
    return VK_SUCCESS;
}
