/* Programs that present by Vulkan: a layer under the loader's public interface, asked for by its name. It lies in the
   same library as the rest of the tap. Only the one function by which the loader and a layer agree is shown: were
   vkGetInstanceProcAddr, the loader's own would win inside this library and vkCreateInstance would call itself. */

#include "present.h"

#include <stdlib.h>
#include <vulkan/vk_layer.h>
#include <vulkan/vulkan.h>

#define NAMES 240 /* bytes of a list of names on the sheet */
#define QUEUES 16 /* families of them */

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
    PFN_vkGetPhysicalDeviceQueueFamilyProperties families;
} instance_behind;

/* What graphics time by time stamps needs of a device. */
#define TIMING(each)                                                                                                   \
    each(CreateCommandPool) each(AllocateCommandBuffers) each(BeginCommandBuffer) each(EndCommandBuffer)              \
        each(CreateQueryPool) each(CmdResetQueryPool) each(CmdWriteTimestamp) each(QueueSubmit)                        \
            each(GetQueryPoolResults) each(CreateFence) each(GetFenceStatus) each(ResetFences)                         \
                each(DestroyCommandPool) each(DestroyQueryPool) each(DestroyFence)
#define FUNCTION(name) PFN_vk##name name;

typedef struct {
    int claimed;
    void *key;
    VkDevice handle;
    PFN_vkGetDeviceProcAddr find;
    PFN_vkSetDeviceLoaderData set_loader_data;
    PFN_vkGetDeviceQueue get_queue;
    PFN_vkGetDeviceQueue2 get_queue2;
    TIMING(FUNCTION)
    double ns_a_tick[QUEUES];  /* by family; 0 where its queues have no time stamps */
    uint64_t told_bits[QUEUES];
    PFN_vkQueuePresentKHR present;
    PFN_vkCreateSwapchainKHR create_chain;
    PFN_vkDestroySwapchainKHR destroy_chain;
    PFN_vkDestroyDevice destroy;
    VkPhysicalDeviceProperties is;
    VkPhysicalDeviceDriverProperties driver;
    char abilities[NAMES];
} device_behind;

typedef struct {
    int claimed;
    VkQueue queue; /* NULL: free, or being filled */
    uint32_t family;
} queue_known;

/* The time stamps of a window's frames: at the end of each present, and before the next. Every command buffer writes one
   and is submitted anew once its last one is known. */
typedef struct {
    device_behind *device;
    VkQueue queue;
    VkCommandPool commands;
    VkQueryPool stamps;
    VkCommandBuffer write[2 * PENDING];
    VkFence over[PENDING]; /* a query alone would still tell what it held before, until its reset is executed */
    uint32_t family;
} stamping;

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
static queue_known queues[4 * PLACES];

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

/* ---- graphics time ---- */

/* What a window keeps of it. */
#define STAMPING(w) ((w)->own[0])

static int time_by_queries(window *w, unsigned at, double *gpu_ms) {
    stamping *s = (stamping *)STAMPING(w);
    device_behind *device = s->device;
    uint64_t told[2], ticks;
    if (device->GetFenceStatus(device->handle, s->over[at]) != VK_SUCCESS) return 0;
    if (device->GetQueryPoolResults(device->handle, s->stamps, 2 * at, 2, sizeof told, told, sizeof told[0], VK_QUERY_RESULT_64_BIT) != VK_SUCCESS)
        return 1; /* it never will be */
    ticks = (told[1] - told[0]) & device->told_bits[s->family];
    *gpu_ms = (double)ticks * device->ns_a_tick[s->family] / 1e6;
    return 1;
}

static void let_go(stamping *s) {
    device_behind *device = s->device;
    for (unsigned i = 0; i < PENDING; i++)
        if (s->over[i]) device->DestroyFence(device->handle, s->over[i], NULL);
    if (s->stamps) device->DestroyQueryPool(device->handle, s->stamps, NULL);
    if (s->commands) device->DestroyCommandPool(device->handle, s->commands, NULL);
    free(s);
}

static int record_stamps(stamping *s) {
    device_behind *device = s->device;
    VkCommandPoolCreateInfo pool = {.sType = VK_STRUCTURE_TYPE_COMMAND_POOL_CREATE_INFO, .queueFamilyIndex = s->family};
    VkQueryPoolCreateInfo stamps = {.sType = VK_STRUCTURE_TYPE_QUERY_POOL_CREATE_INFO, .queryType = VK_QUERY_TYPE_TIMESTAMP, .queryCount = 2 * PENDING};
    VkCommandBufferAllocateInfo all = {.sType = VK_STRUCTURE_TYPE_COMMAND_BUFFER_ALLOCATE_INFO, .level = VK_COMMAND_BUFFER_LEVEL_PRIMARY, .commandBufferCount = 2 * PENDING};
    VkCommandBufferBeginInfo begin = {.sType = VK_STRUCTURE_TYPE_COMMAND_BUFFER_BEGIN_INFO};
    VkFenceCreateInfo fence = {.sType = VK_STRUCTURE_TYPE_FENCE_CREATE_INFO};
    for (unsigned i = 0; i < PENDING; i++)
        if (device->CreateFence(device->handle, &fence, NULL, &s->over[i])) return 0;
    if (device->CreateCommandPool(device->handle, &pool, NULL, &s->commands)) return 0;
    if (device->CreateQueryPool(device->handle, &stamps, NULL, &s->stamps)) return 0;
    all.commandPool = s->commands;
    if (device->AllocateCommandBuffers(device->handle, &all, s->write)) return 0;
    for (uint32_t i = 0; i < 2 * PENDING; i++) {
        /* What we made ourselves the loader has not seen: it must learn which device it is of. */
        if (device->set_loader_data && device->set_loader_data(device->handle, s->write[i])) return 0;
        if (device->BeginCommandBuffer(s->write[i], &begin)) return 0;
        device->CmdResetQueryPool(s->write[i], s->stamps, i, 1);
        device->CmdWriteTimestamp(s->write[i], VK_PIPELINE_STAGE_BOTTOM_OF_PIPE_BIT, s->stamps, i);
        if (device->EndCommandBuffer(s->write[i])) return 0;
    }
    return 1;
}

/* Why no graphics time is taken, else "present". */
static const char *begin_stamping(window *w, device_behind *device, VkQueue queue) {
    queue_known *known = FIND(queues, queue, queue);
    stamping *s;
    int all = 1;
#define THERE(name) all = all && device->name;
    TIMING(THERE)
    if (device->is.deviceType == VK_PHYSICAL_DEVICE_TYPE_CPU && !getenv("VIGILANT_TAP_SOFTWARE_TIMES")) return "not taken: a software renderer";
    if (!all || !known || known->family >= QUEUES || device->ns_a_tick[known->family] <= 0) return "absent";
    if (!(s = (stamping *)calloc(1, sizeof *s))) return "absent";
    s->device = device;
    s->queue = queue;
    s->family = known->family;
    if (!record_stamps(s)) {
        let_go(s);
        return "absent";
    }
    STAMPING(w) = s;
    return "present";
}

/* Write a time stamp behind all that was submitted: of a frame's end (1), or of its begin (0). The program hands us the
   queue while it presents, so that nobody else uses it. */
static void stamp(window *w, unsigned end) {
    stamping *s = (stamping *)STAMPING(w);
    device_behind *device = s->device;
    unsigned at = (unsigned)(w->next % PENDING);
    VkFence over = end ? s->over[at] : VK_NULL_HANDLE;
    VkSubmitInfo one = {.sType = VK_STRUCTURE_TYPE_SUBMIT_INFO, .commandBufferCount = 1, .pCommandBuffers = &s->write[2 * at + end]};
    w->begun = (!end || device->ResetFences(device->handle, 1, &over) == VK_SUCCESS) && device->QueueSubmit(s->queue, 1, &one, over) == VK_SUCCESS;
    if (!w->begun) w->gpu_time = NULL;
}

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

static void describe(window *w, device_behind *device, VkQueue queue, const chain_known *chain) {
    const VkPhysicalDeviceProperties *is = &device->is;
    const char *timer = begin_stamping(w, device, queue);
    char text[NAMES + 2 * VK_MAX_DRIVER_INFO_SIZE];
    window_columns(w, "Vulkan", "picture", STAMPING(w) ? time_by_queries : NULL);
    snprintf(text, sizeof text, "Vulkan %u.%u.%u", VK_API_VERSION_MAJOR(is->apiVersion), VK_API_VERSION_MINOR(is->apiVersion),
             VK_API_VERSION_PATCH(is->apiVersion));
    vigilant_condition(w->out, "graphics interface", text);
    vigilant_condition(w->out, "renderer", is->deviceName);
    if (device->driver.driverName[0]) snprintf(text, sizeof text, "%s %s", device->driver.driverName, device->driver.driverInfo);
    else snprintf(text, sizeof text, "of vendor 0x%x, version 0x%x", is->vendorID, is->driverVersion);
    vigilant_condition(w->out, "driver", text);
    vigilant_condition(w->out, "graphics time", timer);
    vigilant_condition(w->out, "present mode", mode_called(chain->mode));
    snprintf(text, sizeof text, "%u at least", chain->pictures);
    vigilant_condition(w->out, "pictures in the chain", text);
    vigilant_condition(w->out, "abilities", device->abilities[0] ? device->abilities : "none asked for");
    window_size(w, chain->size.width, chain->size.height);
}

/* The end of the frame's graphics work; a window that presents from another queue now has no more graphics times. A place
   whose last time stamps are still not known is not written anew. */
static void stamp_or_leave(window *w, VkQueue queue) {
    double known;
    stamping *s = (stamping *)STAMPING(w);
    int waits = w->next - w->first >= PENDING - 1 && !time_by_queries(w, (unsigned)(w->first % PENDING), &known);
    if (s->queue != queue || waits) {
        w->gpu_time = NULL;
        w->begun = 0;
    } else {
        stamp(w, 1);
    }
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
        if (shown[i] && first) describe(shown[i], device, queue, of[i]);
        if (shown[i] && shown[i]->gpu_time && shown[i]->begun) stamp_or_leave(shown[i], queue);
    }
    called = vigilant_now_ns();
    done = device->present(queue, what);
    for (uint32_t i = 0; i < PLACES; i++) {
        VkResult own = done < 0 && what->pResults && i < what->swapchainCount ? what->pResults[i] : done;
        if (!shown[i]) continue;
        if (own < 0) { /* nothing was shown: the frame goes on, and has no graphics time */
            shown[i]->begun = 0;
            continue;
        }
        window_presented(shown[i], called, of[i]->size.width, of[i]->size.height);
        if (shown[i]->gpu_time) stamp(shown[i], 0);
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
    known->families = (PFN_vkGetPhysicalDeviceQueueFamilyProperties)find(*instance, "vkGetPhysicalDeviceQueueFamilyProperties");
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
    VkQueueFamilyProperties family[QUEUES];
    uint32_t count = instance->families ? QUEUES : 0;
    size_t used = 0;
    memset(&device->driver, 0, sizeof device->driver);
    memset(&device->is, 0, sizeof device->is);
    if (instance->properties) instance->properties(physical, &device->is);
    if (instance->more_properties && device->is.apiVersion >= VK_API_VERSION_1_2) {
        VkPhysicalDeviceProperties2 asked = {.sType = VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PROPERTIES_2, .pNext = &device->driver};
        device->driver.sType = VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_DRIVER_PROPERTIES;
        instance->more_properties(physical, &asked);
    }
    memset(device->ns_a_tick, 0, sizeof device->ns_a_tick);
    if (instance->families) instance->families(physical, &count, family);
    for (uint32_t i = 0; i < count; i++) {
        uint32_t bits = family[i].timestampValidBits;
        device->ns_a_tick[i] = bits ? (double)device->is.limits.timestampPeriod : 0;
        device->told_bits[i] = bits < 64 ? ((uint64_t)1 << bits) - 1 : ~(uint64_t)0;
    }
    device->abilities[0] = 0;
    for (uint32_t i = 0; i < how->enabledExtensionCount && used < NAMES; i++)
        used += (size_t)snprintf(device->abilities + used, NAMES - used, "%s%s", used ? ", " : "", how->ppEnabledExtensionNames[i]);
}

static PFN_vkSetDeviceLoaderData loader_data(const VkDeviceCreateInfo *how) {
    for (const VkLayerDeviceCreateInfo *at = how->pNext; at; at = at->pNext)
        if (at->sType == VK_STRUCTURE_TYPE_LOADER_DEVICE_CREATE_INFO && at->function == VK_LOADER_DATA_CALLBACK) return at->u.pfnSetDeviceLoaderData;
    return NULL;
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
    device->handle = *handle;
    device->set_loader_data = loader_data(how);
    device->get_queue = (PFN_vkGetDeviceQueue)find(*handle, "vkGetDeviceQueue");
    device->get_queue2 = (PFN_vkGetDeviceQueue2)find(*handle, "vkGetDeviceQueue2");
#define FETCH(name) device->name = (PFN_vk##name)find(*handle, "vk" #name);
    TIMING(FETCH)
    SHOW(device, key, key_of(*handle));
    return done;
}

static VKAPI_ATTR void VKAPI_CALL destroy_device(VkDevice handle, const VkAllocationCallbacks *by) {
    device_behind *device = handle ? device_of(handle) : NULL;
    PFN_vkDestroyDevice destroy = device ? device->destroy : NULL;
    for (unsigned i = 0; device && i < PLACES; i++) {
        window *w = window_at(i);
        if (!w || w->display != device->key || !STAMPING(w)) continue;
        w->gpu_time = NULL; /* frames that wait for their times go without */
        let_go((stamping *)STAMPING(w));
        STAMPING(w) = NULL;
    }
    for (unsigned i = 0; device && i < sizeof queues / sizeof *queues; i++)
        if (queues[i].queue && key_of(queues[i].queue) == device->key) LET_GO(&queues[i], queue);
    if (device) LET_GO(device, key);
    if (destroy) destroy(handle, by);
}

static void note_queue(VkQueue queue, uint32_t family) {
    queue_known *known = !queue || FIND(queues, queue, queue) ? NULL : CLAIM(queues);
    if (!known) return;
    known->family = family;
    SHOW(known, queue, queue);
}

static VKAPI_ATTR void VKAPI_CALL get_queue(VkDevice handle, uint32_t family, uint32_t index, VkQueue *queue) {
    device_behind *device = device_of(handle);
    *queue = NULL;
    if (device) device->get_queue(handle, family, index, queue);
    note_queue(*queue, family);
}

static VKAPI_ATTR void VKAPI_CALL get_queue2(VkDevice handle, const VkDeviceQueueInfo2 *which, VkQueue *queue) {
    device_behind *device = device_of(handle);
    *queue = NULL;
    if (device) device->get_queue2(handle, which, queue);
    note_queue(*queue, which->queueFamilyIndex);
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

/* These are there only where those behind us are. */
static PFN_vkVoidFunction presenting(const char *name, PFN_vkVoidFunction found) {
    if (!found) return found;
    if (!strcmp(name, "vkGetDeviceQueue")) return (PFN_vkVoidFunction)get_queue;
    if (!strcmp(name, "vkGetDeviceQueue2")) return (PFN_vkVoidFunction)get_queue2;
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
