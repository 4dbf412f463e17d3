// Before the first paint, so that the page does not flash in the other theme.
const chosen = localStorage.getItem("goshawk.theme");
if (chosen === "daylight" || chosen === "dusk") document.documentElement.dataset.theme = chosen;
