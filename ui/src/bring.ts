/** The page that brings a charge: typed lines are shown as they are understood, while they are typed. */
export function bring() {
  return {
    timer: 0,
    running: null as AbortController | null,

    understand(event: Event) {
      const field = event.target;
      if (!(field instanceof HTMLTextAreaElement)) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => void this.ask(field.value), 120);
    },

    async ask(text: string) {
      this.running?.abort();
      const running = (this.running = new AbortController());
      try {
        const response = await fetch("/sessions/lines", { method: "post", body: new URLSearchParams({ text }), signal: running.signal });
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
