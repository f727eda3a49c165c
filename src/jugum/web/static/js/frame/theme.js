// Before first paint: the theme this person chose on this machine, or the system's.
(function () {
  const chosen = localStorage.getItem("jugum-theme");
  const dark = chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
})();
