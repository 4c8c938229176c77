// Runs before the page is painted: takes the chosen theme from this browser, if there is one.
// And tells the styles that there is a script, so that what only works with one is shown.
const chosen = localStorage.getItem("theme");
if (chosen === "light" || chosen === "dark") {
  document.documentElement.dataset.theme = chosen;
}
document.documentElement.classList.add("with-script");
