/** Pages that take typed lines, of a charge or of drives: each is shown as it is understood, while it is typed. */
export function bring() {
  return {
    timer: 0,
    running: null as AbortController | null,

    understand(event: Event) {
      const field = event.target;
      if (!(field instanceof HTMLTextAreaElement)) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => void this.ask(field.dataset["lines"] ?? "/sessions/lines", field.value), 120);
    },

    async ask(address: string, text: string) {
      this.running?.abort();
      const running = (this.running = new AbortController());
      try {
        const response = await fetch(address, { method: "post", body: new URLSearchParams({ text }), signal: running.signal });
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
