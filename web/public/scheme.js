// Before the first paint, so that no page flashes by day to who reads by night. The theme takes over from here.
(() => {
  const kept = localStorage.getItem("mui-mode") ?? "system";
  const night = kept === "dark" || (kept === "system" && matchMedia("(prefers-color-scheme: dark)").matches);
  document.documentElement.setAttribute("data-scheme", night ? "dark" : "light");
})();
