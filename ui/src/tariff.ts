import { showFaults } from "./faults";

/** The tariff form: the receipt of the typical stop follows while one types. */
export function tariff() {
  return {
    timer: 0,
    running: null as AbortController | null,

    init() {
      const form = (this as unknown as { $root: HTMLFormElement }).$root;
      form.addEventListener("input", () => {
        clearTimeout(this.timer);
        this.timer = window.setTimeout(() => void this.ask(form), 150);
      });
    },

    async ask(form: HTMLFormElement) {
      this.running?.abort();
      const running = (this.running = new AbortController());
      const body = new URLSearchParams([...new FormData(form)].map(([name, value]) => [name, String(value)]));
      try {
        const response = await fetch("/tariffs/receipt", { method: "post", body, signal: running.signal });
        const shown = form.querySelector("#receipt");
        if (!response.ok || !shown) return;
        shown.innerHTML = await response.text();
        showFaults(form, shown);
      } catch {
        // A newer receipt is on its way, or the server is away; what was typed stays.
      }
    },
  };
}
