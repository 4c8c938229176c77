/** Pages that take typed lines, of a charge or of drives: each is shown as it is understood, while it is typed. */
export function bring() {
  return {
    timer: 0,
    running: null as AbortController | null,

    understand(event: Event) {
      const touched = event.target;
      const form = touched instanceof Element ? touched.closest("form") : null;
      const field = form?.querySelector("textarea");
      if (!form || !field) return;
      const asked = new URLSearchParams({ text: field.value });
      for (const name of ["times", "usable", "car"]) {
        const value = new FormData(form).get(name);
        if (typeof value === "string" && value !== "") asked.set(name, value);
      }
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => void this.ask(field.dataset["lines"] ?? "/sessions/lines", asked), 120);
    },

    async ask(address: string, asked: URLSearchParams) {
      this.running?.abort();
      const running = (this.running = new AbortController());
      try {
        const response = await fetch(address, { method: "post", body: asked, signal: running.signal });
        const shown = document.getElementById("understood");
        if (!response.ok || !shown) return;
        shown.innerHTML = await response.text();
        shown.scrollTop = shown.scrollHeight;
      } catch {
        // A newer line is on its way, or the server is away; what was typed stays.
      }
    },
  };
}
