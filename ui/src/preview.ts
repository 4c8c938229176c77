import { Latest } from "./latest";

/** After so many milliseconds a newer question ends the older one's work. */
const PATIENCE = 400;

/** A form whose outcome is shown beside it while it is filled in: the answer of its address with `/preview`. */
export function preview() {
  return {
    init() {
      const form = this.$el as HTMLFormElement;
      const shown = document.getElementById("preview");
      const latest = new Latest(async (signal) => {
        const query = new URLSearchParams([...new FormData(form)].map(([name, value]) => [name, String(value)]));
        try {
          const response = await fetch(`${new URL(form.action).pathname}/preview?${query}`, { signal });
          if (response.ok && shown) shown.innerHTML = await response.text();
        } catch {
          // A newer question ended it, or the server is away: what was shown stays.
        }
      }, PATIENCE);
      form.addEventListener("input", () => latest.ask());
      // What was typed before this script had come is shown too.
      const typed = [...form.elements].some(
        (one) => (one instanceof HTMLInputElement || one instanceof HTMLTextAreaElement) && one.value !== one.defaultValue,
      );
      if (typed) latest.ask();
    },
  } as { init(): void; $el: HTMLElement };
}
