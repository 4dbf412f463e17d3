// Before the first paint, so that the page does not flash in the other theme.
try {
  const chosen = localStorage.getItem("goshawk.theme");
  if (chosen === "daylight" || chosen === "dusk") document.documentElement.dataset.theme = chosen;
} catch {
  // a browser that keeps nothing of this page shows it in the usual theme
}
