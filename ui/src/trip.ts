import { showFaults } from "./faults";
import { Latest } from "./latest";
import { readLeaving, writeLeaving } from "./leaving";
import { say } from "./page";

/** Milliseconds after which a plan that nobody waits for any more is not worked on either. */
const PATIENCE = 250;

/** The trip page: each change of a control, and each move of a leaving point, replans on the server, in place. */
export function trip() {
  return {
    /** Asks for the plan of what the controls say, one question at a time. */
    questions: null as Latest | null,
    timer: 0,
    /** The leaving point that a pointer holds. */
    held: null as string | null,

    init() {
      const root = this.root();
      const form = this.form();
      this.questions = new Latest((signal) => this.replan(signal), PATIENCE);
      form.addEventListener("input", (event) => {
        this.pair(event.target);
        // A slider answers while it moves; a number is typed to its end.
        const slides = event.target instanceof HTMLInputElement && event.target.type === "range";
        this.later(slides ? 0 : 80);
      });
      form.addEventListener("submit", (event) => {
        if (event.submitter?.hasAttribute("formaction")) return;
        event.preventDefault();
        this.later(0);
      });
      root.addEventListener("click", (event) => this.click(event));
      root.addEventListener("pointerdown", (event) => this.grab(event));
      root.addEventListener("pointermove", (event) => this.drag(event));
      for (const end of ["pointerup", "pointercancel"]) root.addEventListener(end, () => (this.held = null));
      root.addEventListener("keydown", (event) => this.key(event));
      this.catchUp();
    },

    /** Replans with what was changed before the script was there to hear of it. */
    catchUp() {
      const changed = [...this.form().elements].filter((control) =>
        control instanceof HTMLSelectElement
          ? [...control.options].some((option) => option.defaultSelected && !option.selected)
          : control instanceof HTMLInputElement && control.type !== "range" && control.value !== control.defaultValue,
      );
      for (const control of changed) this.pair(control);
      if (changed.length > 0) this.later(0);
    },

    root(): HTMLElement {
      return (this as unknown as { $root: HTMLElement }).$root;
    },

    form(): HTMLFormElement {
      return this.root().querySelector<HTMLFormElement>("form#controls")!;
    },

    /** Keeps a slider and its number the same. */
    pair(target: EventTarget | null) {
      if (!(target instanceof HTMLInputElement)) return;
      const other = target.dataset["slides"]
        ? this.form().elements.namedItem(target.dataset["slides"])
        : this.form().querySelector(`[data-slides="${target.name}"]`);
      if (other instanceof HTMLInputElement) other.value = target.value;
    },

    /** A preset button, or a link that changes the plan. */
    click(event: MouseEvent) {
      const target = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-set], a[data-replan]") : null;
      if (!target) return;
      event.preventDefault();
      if (target instanceof HTMLAnchorElement) {
        this.take(new URL(target.href).searchParams);
      } else {
        const [name, value] = (target.dataset["set"] ?? "").split("=");
        this.take(new URLSearchParams([[name ?? "", value ?? ""]]));
      }
      this.later(0);
    },

    /** Puts values into the controls. */
    take(values: URLSearchParams) {
      for (const [name, value] of values) {
        const control = this.form().elements.namedItem(name);
        if (control instanceof HTMLInputElement || control instanceof HTMLSelectElement) {
          control.value = value;
          this.pair(control);
        }
      }
      if (!values.has("leave") && values.has("start")) this.leaving(new Map());
    },

    /** Replans after so many milliseconds without another change; 0 replans at once. */
    later(milliseconds: number) {
      clearTimeout(this.timer);
      if (milliseconds > 0) this.timer = window.setTimeout(() => this.questions?.ask(), milliseconds);
      else this.questions?.ask();
    },

    async replan(signal: AbortSignal) {
      const form = this.form();
      const query = new URLSearchParams([...new FormData(form)].map(([name, value]) => [name, String(value)]));
      if (!query.get("leave")) query.delete("leave");
      for (const control of form.querySelectorAll<HTMLInputElement | HTMLSelectElement>("[data-own]")) {
        if (control.value === control.dataset["own"]) query.delete(control.name);
      }
      try {
        const response = await fetch(`${form.dataset["plan"]}?${query}`, { signal });
        if (!response.ok) throw new Error(`status ${response.status}`);
        this.put(await response.text());
        say("");
        history.replaceState(null, "", `${form.action.split("?")[0]}?${query}`);
      } catch {
        if (!signal.aborted) say("The server does not answer; the plan shown is the last one it gave.");
      }
    },

    /** Shows a new plan and keeps the focus where it was. */
    put(html: string) {
      const focused = document.activeElement?.id;
      const plan = this.root().querySelector("#plan");
      const next = new DOMParser().parseFromString(html, "text/html").querySelector("#plan");
      if (!plan || !next) return;
      plan.replaceWith(next);
      showFaults(this.form(), next);
      if (focused) document.getElementById(focused)?.focus();
    },

    /** The departures that are fixed: site to SoC. */
    fixed(): Map<string, string> {
      const text = (this.form().elements.namedItem("leave") as HTMLInputElement).value;
      return readLeaving(text);
    },

    leaving(fixed: Map<string, string>) {
      (this.form().elements.namedItem("leave") as HTMLInputElement).value = writeLeaving(fixed);
    },

    fix(handle: Element, soc: number) {
      const site = handle.getAttribute("data-site") ?? "";
      const [low, high] = [Number(handle.getAttribute("aria-valuemin")), Number(handle.getAttribute("aria-valuemax"))];
      const fixed = this.fixed();
      fixed.set(site, Math.min(high, Math.max(low, soc)).toFixed(1));
      this.leaving(fixed);
    },

    grab(event: PointerEvent) {
      const handle = event.target instanceof Element ? event.target.closest("[data-site][role=slider]") : null;
      if (!handle) return;
      event.preventDefault();
      this.held = handle.id;
      (handle as unknown as HTMLElement).focus();
    },

    drag(event: PointerEvent) {
      const handle = this.held && document.getElementById(this.held);
      const chart = handle && handle.closest("svg");
      if (!handle || !chart) return;
      event.preventDefault();
      const box = chart.getBoundingClientRect();
      const y = ((event.clientY - box.top) / box.height) * chart.viewBox.baseVal.height;
      const [top, bottom] = [Number(chart.dataset["top"]), Number(chart.dataset["bottom"])];
      this.fix(handle, Math.round(100 * ((bottom - y) / (bottom - top)) * 2) / 2);
      this.later(0);
    },

    key(event: KeyboardEvent) {
      const handle = event.target instanceof Element ? event.target.closest("[data-site][role=slider]") : null;
      if (!handle) return;
      const now = Number(handle.getAttribute("aria-valuenow"));
      const steps: Record<string, number> = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 5, PageDown: -5 };
      if (event.key in steps) {
        this.fix(handle, now + (steps[event.key] ?? 0));
      } else if (event.key === "Delete" || event.key === "Backspace" || event.key === "Escape") {
        const fixed = this.fixed();
        fixed.delete(handle.getAttribute("data-site") ?? "");
        this.leaving(fixed);
      } else {
        return;
      }
      event.preventDefault();
      this.later(0);
    },
  };
}
