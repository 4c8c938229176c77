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

    /** Writes a line as it was probably meant. */
    mend(event: Event) {
      const button = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-mended]") : null;
      const field = button?.closest("form")?.querySelector("textarea");
      if (!button || !field) return;
      const lines = field.value.split("\n");
      lines[Number(button.dataset["line"]) - 1] = button.dataset["mended"] ?? "";
      field.value = lines.join("\n");
      field.dispatchEvent(new Event("input", { bubbles: true }));
      field.focus();
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
