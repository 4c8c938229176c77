import { type Charge, FIELDS, type FieldName, type Line, type Reading, elapsed, nextSoc, replay } from "./events";
import { Alarm } from "./alarm";
import { Log } from "./log";

/** How often the server is asked, in milliseconds. */
const RHYTHM = 2000;
/** Readings that the list shows. */
const SHOWN = 60;
const UNITS: Record<FieldName, string> = { soc: "%", power_kw: "kW", energy_kwh: "kWh", voltage_v: "V", current_a: "A", battery_c: "°C" };

/** The live page: every tap is an event, kept here at once and on the server as soon as it answers. */
export function live() {
  return {
    log: null as unknown as Log<Line>,
    charge: null as unknown as Charge,
    now: Date.now(),
    /** SoC chosen by hand for the next stamp; null means the likely one. */
    chosen: null as number | null,
    /** The reading that is being filled in. */
    open: null as string | null,
    timers: [] as number[],
    alarm: new Alarm(),
    armed: false,
    /** What the advice is asked for, where no trip is under way. */
    ahead: "",

    init() {
      const root = this.root();
      const id = root.dataset["charge"] ?? "";
      this.log = new Log(`/measure/${id}/events`, `measure-${id}`, root.dataset["lines"] ?? "");
      this.refresh();
      root.addEventListener("submit", (event) => this.submit(event));
      root.addEventListener("change", (event) => this.change(event));
      this.timers = [window.setInterval(() => this.tick(), 250), window.setInterval(() => void this.exchange(), RHYTHM)];
      addEventListener("online", () => void this.exchange());
      document.addEventListener("keydown", (event) => this.key(event));
      void this.exchange();
    },

    destroy() {
      this.timers.forEach((timer) => clearInterval(timer));
    },

    root(): HTMLElement {
      return (this as unknown as { $root: HTMLElement }).$root;
    },

    refresh() {
      this.charge = replay(this.log.all());
      if (!this.charge.readings.some((reading) => reading.id === this.open)) this.open = null;
    },

    async exchange() {
      const changed = await this.log.exchange();
      if (changed) {
        this.refresh();
        await this.advise();
      }
      // Alpine sees fields of this object only; the log's are read through these.
      this.now = Date.now();
    },

    /** Asks whether to leave, once something was read. */
    async advise() {
      const place = this.root().querySelector("#advice");
      if (!place || !this.isCharging || place.contains(document.activeElement)) return;
      try {
        const response = await fetch(`${location.pathname}/advice?${this.ahead}`);
        if (response.ok) place.innerHTML = await response.text();
      } catch {
        // The last advice stays.
      }
    },

    arm() {
      this.armed = !this.armed;
      if (this.armed) this.alarm.arm();
    },

    tick() {
      if (!this.root().isConnected) return this.destroy();
      this.now = Date.now();
      if (this.armed) this.alarm.watch(this.root(), this.now);
    },

    add(what: Line["what"], rest: Partial<Line> = {}): string {
      const id = crypto.randomUUID?.() ?? `${Date.now()}-${Math.random().toString(36).slice(2)}`;
      this.log.add({ id, at: Date.now(), what, ...rest });
      this.refresh();
      void this.exchange();
      return id;
    },

    // What the page shows.

    get phase(): "before" | "handshake" | "charging" | "ended" {
      if (this.charge.ended) return "ended";
      if (this.charge.currentOn !== null) return "charging";
      return this.charge.pluggedIn === null ? "before" : "handshake";
    },
    get isBefore() { return this.phase === "before"; },
    get isHandshake() { return this.phase === "handshake"; },
    get isRefused() { return this.isHandshake && this.charge.refused; },
    get isCharging() { return this.phase === "charging"; },
    get isEnded() { return this.phase === "ended"; },
    get isPaused() { return this.charge.pauses.at(-1)?.to === null; },
    get pauseWord() { return this.isPaused ? "Go on" : "Pause"; },
    get canUndo() { return this.undoable() !== undefined; },

    get clock(): string {
      if (this.phase === "before") return "0:00";
      if (this.phase === "handshake") return stopwatch((this.now - this.charge.pluggedIn!) / 60_000);
      // A meter may play faster than the clock on the wall.
      const last = this.charge.readings.at(-1)?.elapsed ?? 0;
      return stopwatch(this.phase === "ended" ? last : Math.max(last, elapsed(this.charge, this.now)));
    },
    get clockTells(): string {
      if (this.phase === "before") return "starts when the plug goes in";
      if (this.phase === "handshake") return "since the plug went in; no current yet";
      if (this.phase === "ended") return "the charge has ended";
      return this.isPaused ? "paused; the clock stands" : "since current began";
    },
    get failedTells(): string {
      return this.charge.failed ? `failed attempts: ${this.charge.failed}` : "";
    },
    get saved(): string {
      void this.now;
      const waits = this.log.waits();
      if (this.log.closed) return "This charge has become a session or was forgotten; nothing more is taken.";
      if (this.log.refused) return `Not taken: ${this.log.refused}`;
      if (!waits) return this.log.online ? "Everything is saved." : "The server does not answer. Everything so far is saved; go on.";
      const what = waits === 1 ? "1 entry waits" : `${waits} entries wait`;
      return this.log.online ? `${what} to be saved.` : `${what} here until the server answers. Go on measuring.`;
    },
    get offered(): number {
      return this.chosen ?? nextSoc(this.charge, this.now);
    },
    get stampWord() { return `Stamp ${this.offered} %`; },

    get rows() {
      void this.now;
      return this.charge.readings.slice(-SHOWN).reverse().map((reading) => ({
        id: reading.id,
        clock: stopwatch(reading.elapsed),
        soc: reading.soc === undefined ? "SoC?" : `${reading.soc} %`,
        rest: FIELDS.slice(1, 3).flatMap((name) => (reading[name] === undefined ? [] : [`${reading[name]} ${UNITS[name]}`])).join(" · "),
        mark: this.log.isSaved(reading.id) ? "saved" : "waits",
        label: `Change the reading at ${stopwatch(reading.elapsed)}`,
      }));
    },
    get hasRows() { return this.charge.readings.length > 0; },
    get isOpen() { return this.opened() !== undefined; },
    get openTitle() {
      const reading = this.opened();
      return reading ? `Reading at ${stopwatch(reading.elapsed)}` : "";
    },

    opened(): Reading | undefined {
      return this.charge.readings.find((reading) => reading.id === this.open);
    },

    // What its keys do.

    plugIn() { this.add("plugged-in"); },
    refuse() { this.add("refused"); },
    current() { this.add("current"); },
    end() { this.add("ended"); },
    pause() { this.add(this.isPaused ? "resume" : "pause"); },

    stamp() {
      if (this.isPaused) this.add("resume");
      this.open = this.add("reading", { soc: this.offered });
      this.chosen = null;
      this.fill();
    },

    lower() { this.chosen = Math.max(0, this.offered - 1); },
    higher() { this.chosen = Math.min(100, this.offered + 1); },

    undoable(): Line | undefined {
      const lines = [...this.log.all()];
      const undone = new Set(lines.filter((line) => line.what === "undo").map((line) => line.of));
      return lines.filter((line) => line.what !== "undo" && !undone.has(line.id)).sort((a, b) => a.at - b.at).at(-1);
    },
    undo() {
      const line = this.undoable();
      if (line) this.add("undo", { of: line.id });
    },

    edit(event: Event) {
      const target = event.currentTarget;
      if (target instanceof HTMLElement) this.open = target.dataset["reading"] ?? null;
      this.fill();
    },
    close() { this.open = null; },

    /** Steps of a field of the open reading; power begins at the reading before. */
    step(event: Event) {
      const target = event.currentTarget;
      if (!(target instanceof HTMLElement)) return;
      const name = target.dataset["field"] as FieldName;
      const reading = this.opened();
      const before = this.charge.readings.filter((other) => other.id !== reading?.id && other[name] !== undefined).at(-1);
      const from = reading?.[name] ?? before?.[name] ?? 0;
      this.set(name, Math.max(0, from + Number(target.dataset["by"])));
      this.fill();
    },

    set(name: FieldName, value: number | undefined) {
      const reading = this.opened();
      if (!reading) return;
      const fields = Object.fromEntries(FIELDS.map((field) => [field, field === name ? value : reading[field]]));
      this.add("change", { of: reading.id, ...fields });
    },

    /** Puts the open reading into the fields. */
    fill() {
      const reading = this.opened();
      for (const name of FIELDS) {
        const field = this.root().querySelector<HTMLInputElement>(`input[data-field="${name}"]`);
        const value = reading?.[name];
        if (field) field.value = value === undefined ? "" : String(name === "battery_c" ? this.shownDegrees(value) : value);
      }
    },

    change(event: Event) {
      const field = event.target;
      if (!(field instanceof HTMLInputElement) || !field.dataset["field"]) return;
      const text = field.value.trim().replace(",", ".");
      const value = text === "" ? undefined : Number(text);
      field.setAttribute("aria-invalid", String(Number.isNaN(value)));
      if (Number.isNaN(value)) return;
      const name = field.dataset["field"] as FieldName;
      this.set(name, name === "battery_c" && value !== undefined ? this.keptDegrees(value) : value);
    },

    /** Events hold °C; the page shows and takes the person's degrees, to a tenth. */
    isFahrenheit(): boolean {
      return this.root().dataset["temperature"] === "°F";
    },
    shownDegrees(celsius: number): number {
      return this.isFahrenheit() ? Math.round(10 * (1.8 * celsius + 32)) / 10 : celsius;
    },
    keptDegrees(degrees: number): number {
      return this.isFahrenheit() ? Math.round((1000 * (degrees - 32)) / 1.8) / 1000 : degrees;
    },

    /** The forecast form, and the end: what needs the server waits until everything is saved. */
    submit(event: SubmitEvent) {
      const form = event.target;
      if (!(form instanceof HTMLFormElement)) return;
      if (form.dataset["live"] === "forecast") {
        event.preventDefault();
        const data = new FormData(form);
        const [minutes, to] = ["minutes", "to"].map((name) => Number(String(data.get(name)).replace(",", ".")));
        if (Number.isFinite(minutes) && Number.isFinite(to)) {
          this.add("forecast", { by: String(data.get("by")), minutes: minutes!, to: to! });
          form.reset();
        }
      } else if (form.dataset["live"] === "ahead") {
        event.preventDefault();
        const data = new FormData(form);
        this.ahead = new URLSearchParams([...data].map(([name, value]) => [name, String(value)])).toString();
        (document.activeElement as HTMLElement | null)?.blur();
        void this.advise();
      } else if (form.dataset["live"] === "finish" && this.log.waits()) {
        event.preventDefault();
        void this.exchange();
      } else if (form.dataset["live"] === "finish" || form.dataset["live"] === "forget") {
        this.log.forget();
      }
    },

    key(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && event.target.matches("input, textarea, select");
      if (typing || event.ctrlKey || event.metaKey || event.altKey || !this.root().isConnected) return;
      if (event.key === "s" && this.isCharging) this.stamp();
      else if (event.key === "u" && this.canUndo) this.undo();
      else return;
      event.preventDefault();
    },
  };
}

function stopwatch(minutes: number): string {
  const seconds = Math.floor(minutes * 60 + 1e-6);
  const [hours, rest] = [Math.floor(seconds / 3600), seconds % 3600];
  const pad = (number: number) => String(number).padStart(2, "0");
  return hours ? `${hours}:${pad(Math.floor(rest / 60))}:${pad(rest % 60)}` : `${Math.floor(rest / 60)}:${pad(rest % 60)}`;
}
