import { showFaults } from "./faults";
import { Latest } from "./latest";
import { readLeaving, writeLeaving } from "./leaving";
import { minuteAt, readoutOf, show } from "./day-line";
import { loadParts, say } from "./page";

/** Milliseconds after which a plan that nobody waits for any more is not worked on either. */
const PATIENCE = 250;
/** Milliseconds of rest after which what stands beside the plan is asked anew. */
const SETTLED = 700;
/** Minutes by which an arrow key moves where the day line is read. */
const READ_STEP = 5;

/** The trip page: each change of a control, and each move of a leaving point, replans on the server, in place. */
export function trip() {
  return {
    /** Asks for the plan of what the controls say, one question at a time. */
    questions: null as Latest | null,
    timer: 0,
    /** Asks for what stands beside the plan, once it rests. */
    beside: 0,
    /** Whether the next plan is a step of its own in the browser's history. */
    step: false,
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
        this.hidden("pick", "");
        this.later(slides ? 0 : 80);
      });
      form.addEventListener("submit", (event) => {
        if (event.submitter?.hasAttribute("formaction")) return;
        event.preventDefault();
        this.later(0);
      });
      form.addEventListener("change", () => (this.step = true));
      root.addEventListener("click", (event) => this.click(event));
      root.addEventListener("pointerdown", (event) => this.grab(event));
      root.addEventListener("pointermove", (event) => this.drag(event));
      for (const end of ["pointerup", "pointercancel"]) root.addEventListener(end, () => (this.held = null));
      root.addEventListener("keydown", (event) => this.key(event));
      root.addEventListener("pointermove", (event) => this.read(event));
      root.addEventListener("pointerdown", (event) => this.read(event));
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

    /** A preset button, a link that changes the plan, a plan of the trade, or what opens the sheet and the printer. */
    click(event: MouseEvent) {
      const target =
        event.target instanceof Element
          ? event.target.closest<HTMLElement | SVGAElement>("[data-set], a[data-replan], a[data-pick], [data-sheet], [data-print]")
          : null;
      if (!target) return;
      event.preventDefault();
      if (target.hasAttribute("data-sheet")) return this.sheet();
      if (target.hasAttribute("data-print")) return window.print();
      if (target instanceof HTMLAnchorElement || target instanceof SVGAElement) {
        const address = target.getAttribute("href") ?? "";
        this.take(new URLSearchParams(address.slice(address.indexOf("?") + 1)), target.hasAttribute("data-pick"));
      } else {
        this.hidden("pick", "");
        this.take(new URLSearchParams(target.dataset["set"]), false);
      }
      this.step = true;
      this.later(0);
    },

    /** Opens the sheet of controls, or closes it. */
    sheet() {
      const open = this.form().classList.toggle("open");
      if (open) this.form().querySelector<HTMLElement>("button, input")?.focus();
      else this.root().querySelector<HTMLElement>(".answer [data-sheet], .card [data-sheet]:not(#controls *)")?.focus();
    },

    /** Puts values into the controls; a whole address, or a plan of the trade, sets what is hidden too. */
    take(values: URLSearchParams, picks: boolean) {
      for (const [name, value] of values) {
        const control = this.form().elements.namedItem(name);
        if (control instanceof HTMLInputElement || control instanceof HTMLSelectElement) {
          control.value = value;
          this.pair(control);
        }
      }
      if (picks || values.has("start")) {
        this.hidden("pick", values.get("pick") ?? "");
        this.hidden("leave", values.get("leave") ?? "");
        if (!picks) this.hidden("against", values.get("against") ?? "");
      }
    },

    /** Sets a hidden control. */
    hidden(name: string, value: string) {
      (this.form().elements.namedItem(name) as HTMLInputElement).value = value;
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
      for (const name of ["leave", "pick", "against"]) if (!query.get(name)) query.delete(name);
      for (const control of form.querySelectorAll<HTMLInputElement | HTMLSelectElement>("[data-own]")) {
        if (control.value === control.dataset["own"]) query.delete(control.name);
      }
      try {
        const response = await fetch(`${form.dataset["plan"]}?${query}`, { signal });
        if (!response.ok) throw new Error(`status ${response.status}`);
        this.put(await response.text());
        say("");
        const address = `${form.action.split("?")[0]}?${query}`;
        if (this.step && address !== location.href) history.pushState(null, "", address);
        else history.replaceState(null, "", address);
        this.step = false;
        this.settle(query);
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
      tellChange(plan, next);
      for (const part of plan.querySelectorAll<HTMLDetailsElement>("details[id][open]")) {
        next.querySelector(`#${CSS.escape(part.id)}`)?.setAttribute("open", "");
      }
      plan.replaceWith(next);
      showFaults(this.form(), next);
      this.press();
      if (focused) document.getElementById(focused)?.focus();
    },

    /** Shows which presets are on. */
    press() {
      for (const chip of this.form().querySelectorAll<HTMLElement>("[data-set]")) {
        const stands = ([name, value]: [string, string]) => {
          const control = this.form().elements.namedItem(name);
          return (control instanceof HTMLInputElement || control instanceof HTMLSelectElement) && control.value === value;
        };
        const asked = [...new URLSearchParams(chip.dataset["set"])];
        chip.setAttribute("aria-pressed", String(asked.every(stands)));
      }
    },

    /** Asks for what stands beside the plan, once nothing changes for a while. */
    settle(query: URLSearchParams) {
      clearTimeout(this.beside);
      this.beside = window.setTimeout(() => {
        // Another page may stand here by now.
        if (!this.root().isConnected) return;
        for (const part of this.root().querySelectorAll<HTMLElement>("[data-beside]")) {
          const address = `${part.dataset["beside"]}?${query}`;
          if (part instanceof HTMLAnchorElement) part.href = address;
          else part.dataset["load"] = address;
        }
        for (const back of this.root().querySelectorAll<HTMLInputElement>("#beside input[name=back]")) back.value = String(query);
        loadParts();
      }, SETTLED);
    },

    /** Reads the day line where the pointer is. */
    read(event: PointerEvent) {
      const figure = event.target instanceof Element ? event.target.closest("[data-chart]") : null;
      if (!figure || this.held) return;
      const readout = readoutOf(figure);
      const minute = minuteAt(event);
      if (minute !== null) show(figure, readout, minute);
    },

    /** Reads the day line further on or back, by the keys. */
    readOn(event: KeyboardEvent): boolean {
      const told = event.target instanceof HTMLElement && event.target.matches(".readout") ? event.target : null;
      const figure = told?.closest("[data-chart]");
      const steps: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 12, PageDown: -12 };
      if (!told || !figure) return false;
      const ends: Record<string, number> = { Home: 0, End: Infinity };
      if (!(event.key in steps) && !(event.key in ends)) return false;
      const minute = ends[event.key] ?? Number(told.dataset["minute"] ?? 0) + READ_STEP * (steps[event.key] ?? 0);
      show(figure, readoutOf(figure), minute);
      event.preventDefault();
      return true;
    },

    /** The departures that are fixed: site to SoC. */
    fixed(): Map<string, string> {
      const text = (this.form().elements.namedItem("leave") as HTMLInputElement).value;
      return readLeaving(text);
    },

    leaving(fixed: Map<string, string>) {
      this.hidden("leave", writeLeaving(fixed));
      this.hidden("pick", "");
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
      const [x, y] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
      const upright = chart.dataset["along"]?.startsWith("y");
      const place = upright ? x * chart.viewBox.baseVal.width : y * chart.viewBox.baseVal.height;
      const [top, bottom] = [Number(chart.dataset["top"]), Number(chart.dataset["bottom"])];
      this.fix(handle, Math.round(100 * ((bottom - place) / (bottom - top)) * 2) / 2);
      this.later(0);
    },

    key(event: KeyboardEvent) {
      if (this.readOn(event)) return;
      if (event.key === "Escape" && this.form().classList.contains("open")) return this.sheet();
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

/** Tells in the new answer what has changed against the one before. */
function tellChange(before: Element, after: Element): void {
  const [old, now] = [before, after].map((plan) => plan.querySelector<HTMLElement>(".answer"));
  const told = after.querySelector("#change");
  if (!old || !now || !told) return;
  const difference = (name: string) => Number(now.dataset[name]) - Number(old.dataset[name]);
  const [minutes, money] = [difference("minutes"), difference("money")];
  const signed = (value: number, digits: number) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(digits)}`;
  const parts = [];
  if (minutes !== 0) parts.push(`${signed(minutes, 0)} min`);
  if (Math.abs(money) >= 0.005) parts.push(`${signed(money, 2)} ${now.dataset["currency"]}`);
  told.textContent = parts.join(", ");
}
