/** The button that turns day into night and back. */
export function themeButton() {
  return {
    toggle() {
      const root = document.documentElement;
      const night = matchMedia("(prefers-color-scheme: dark)").matches;
      const now = root.dataset["theme"] ?? (night ? "dark" : "light");
      const next = now === "dark" ? "light" : "dark";
      root.dataset["theme"] = next;
      localStorage.setItem("theme", next);
    },
  };
}
