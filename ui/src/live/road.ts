import { Alarm } from "./alarm";
import { Log } from "./log";

/** How often the server is asked for the way on, in milliseconds. */
const RHYTHM = 15_000;

/** Something that happened on the road, as docs/formats/events.md says. */
interface RoadLine {
  id: string;
  at: number;
  what: string;
  [field: string]: string | number;
}
const NUMBERS = ["soc", "km", "minutes", "kw"];

/** The page of a trip under way: every touch is kept here at once, and on the server as soon as it answers; then the way on is asked
 * for anew. Without a signal the last one stays, with its stops and what to do if one fails. */
export function road() {
  return {
    log: null as unknown as Log<RoadLine>,
    alarm: new Alarm(),
    saved: "",
    armed: false,
    alarmTells: "",
    timers: [] as number[],

    init() {
      const root = this.root();
      const id = root.dataset["outing"] ?? "";
      this.log = new Log(`/road/${id}/events`, `road-${id}`, root.dataset["lines"] ?? "");
      root.addEventListener("submit", (event) => this.touch(event));
      root.addEventListener("click", (event) => step(event));
      this.timers = [window.setInterval(() => this.tick(), 1000), window.setInterval(() => void this.exchange(true), RHYTHM)];
      addEventListener("online", () => void this.exchange(true));
      void this.exchange(this.log.waits() > 0);
    },

    destroy() {
      this.timers.forEach((timer) => clearInterval(timer));
    },

    root(): HTMLElement {
      return (this as unknown as { $root: HTMLElement }).$root;
    },

    touch(event: SubmitEvent) {
      const form = event.target;
      if (!(form instanceof HTMLFormElement)) return;
      const stamp = form.querySelector<HTMLInputElement>("[data-now]");
      if (stamp) stamp.value = String(Date.now());
      if (!form.matches("[data-road]")) return;
      event.preventDefault();
      const line: RoadLine = { id: crypto.randomUUID?.() ?? `${Date.now()}-${Math.random().toString(36).slice(2)}`, at: Date.now(), what: "" };
      for (const [name, value] of new FormData(form, event.submitter)) {
        const text = String(value).trim();
        if (text) line[name] = NUMBERS.includes(name) ? Number(text.replace(",", ".")) : text;
      }
      if (NUMBERS.some((name) => name in line && Number.isNaN(line[name]))) return;
      this.log.add(line);
      void this.exchange(true, true);
    },

    /** Sends what waits, and asks for the way on where something has changed or it is time. */
    async exchange(again: boolean, touched = false) {
      const changed = await this.log.exchange();
      this.saved = this.tells();
      if (this.log.online && (changed || again)) await this.refresh(touched);
    },

    async refresh(touched: boolean) {
      const panel = this.root().querySelector("#panel");
      // What is being filled in is not taken away.
      if (!panel || (!touched && panel.contains(document.activeElement?.closest("input, select") ?? null))) return;
      const open = [...panel.querySelectorAll("details[open]")].map((part) => part.id);
      try {
        const response = await fetch("/road/panel");
        if (!response.ok) return;
        panel.innerHTML = await response.text();
        for (const id of open.filter(Boolean)) panel.querySelector(`#${id}`)?.setAttribute("open", "");
      } catch {
        // The way on that is shown stays.
      }
    },

    tells(): string {
      const waits = this.log.waits();
      if (this.log.refused) return `Not taken: ${this.log.refused}`;
      if (!waits) return this.log.online ? "" : "No signal. What is shown is as of the last one.";
      return `${waits === 1 ? "1 entry waits" : `${waits} entries wait`} here until there is a signal. What is shown is as of the last one.`;
    },

    arm() {
      this.armed = !this.armed;
      if (this.armed) this.alarm.arm();
      this.alarmTells = this.armed ? "It sounds on this phone while the page is open." : "";
    },

    tick() {
      if (!this.root().isConnected) return this.destroy();
      if (this.armed) this.alarm.watch(this.root(), Date.now());
    },
  };
}

/** A step button beside a field. */
function step(event: Event): void {
  const button = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-step]") : null;
  const field = button?.parentElement?.querySelector<HTMLInputElement>("input");
  if (!button || !field) return;
  const soc = Number(field.value.replace(",", ".")) + Number(button.dataset["step"]);
  field.value = String(Math.min(100, Math.max(0, Math.round(soc))));
}
