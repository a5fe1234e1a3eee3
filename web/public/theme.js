// Before the first paint: the theme that was chosen, or else the system's.
document.documentElement.dataset.theme =
  localStorage.getItem("dogbane-theme") ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
