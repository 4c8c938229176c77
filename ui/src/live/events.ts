/** What happens at a stall, as docs/formats/events.md says, and what it amounts to for the page while the server is away. */
export interface Line {
  id: string;
  at: number;
  what: "plugged-in" | "refused" | "current" | "reading" | "change" | "undo" | "pause" | "resume" | "forecast" | "ended";
  of?: string;
  soc?: number;
  power_kw?: number;
  energy_kwh?: number;
  voltage_v?: number;
  current_a?: number;
  battery_c?: number;
  by?: string;
  minutes?: number;
  to?: number;
}

export const FIELDS = ["soc", "power_kw", "energy_kwh", "voltage_v", "current_a", "battery_c"] as const;
export type FieldName = (typeof FIELDS)[number];

export interface Reading extends Partial<Record<FieldName, number>> {
  id: string;
  /** Minutes since current began, pauses left out. */
  elapsed: number;
}

export interface Charge {
  pluggedIn: number | null;
  currentOn: number | null;
  failed: number;
  /** Whether the last attempt failed, and the plug has not gone in again since. */
  refused: boolean;
  readings: Reading[];
  pauses: { from: number; to: number | null }[];
  forecasts: number;
  ended: boolean;
}

/** The same rules as the server's: events in order of time, undone ones left out, the last change of a reading counts. */
export function replay(lines: Iterable<Line>): Charge {
  const all = [...lines];
  const undone = new Set(all.filter((line) => line.what === "undo").map((line) => line.of));
  const counted = all.filter((line) => !undone.has(line.id)).sort((a, b) => a.at - b.at);
  const changes = new Map(counted.filter((line) => line.what === "change").map((line) => [line.of, line]));
  const began = counted.find((line) => line.what === "current") ?? counted.find((line) => line.what === "reading");
  const charge: Charge = { pluggedIn: null, currentOn: began?.at ?? null, failed: 0, refused: false, readings: [], pauses: [], forecasts: 0, ended: false };
  for (const line of counted) take(charge, line, changes);
  return charge;
}

function take(charge: Charge, line: Line, changes: Map<string | undefined, Line>): void {
  const pause = charge.pauses.at(-1);
  switch (line.what) {
    case "plugged-in":
      // A plug that goes in again after a failed attempt starts the clock anew.
      if (charge.pluggedIn === null || charge.refused) charge.pluggedIn = line.at;
      charge.refused = false;
      break;
    case "refused":
      charge.failed += 1;
      charge.refused = true;
      break;
    case "pause":
      if (!pause || pause.to !== null) charge.pauses.push({ from: line.at, to: null });
      break;
    case "resume":
      if (pause?.to === null) pause.to = line.at;
      break;
    case "forecast":
      charge.forecasts += 1;
      break;
    case "ended":
      charge.ended = true;
      break;
    case "reading": {
      const told = changes.get(line.id) ?? line;
      const fields = Object.fromEntries(FIELDS.flatMap((name) => (told[name] === undefined ? [] : [[name, told[name]]])));
      charge.readings.push({ id: line.id, elapsed: elapsed(charge, line.at), ...fields });
    }
  }
}

/** Minutes of charging at a time; 0 before current flows. */
export function elapsed(charge: Charge, at: number): number {
  if (charge.currentOn === null) return 0;
  const began = charge.currentOn;
  const paused = charge.pauses.map(({ from, to }) => Math.max(0, Math.min(to ?? at, at) - Math.max(from, began)));
  return Math.max(0, at - began - paused.reduce((sum, each) => sum + each, 0)) / 60_000;
}

/** The SoC that is likely shown now: by the pace of the last readings, on a round number where one is near. */
export function nextSoc(charge: Charge, now: number): number {
  const known = charge.readings.filter((reading) => reading.soc !== undefined);
  const [before, last] = [known.at(-2), known.at(-1)];
  if (!last) return 10;
  if (!before || last.elapsed <= before.elapsed) return Math.min(100, last.soc! + 1);
  const pace = (last.soc! - before.soc!) / (last.elapsed - before.elapsed);
  const likely = last.soc! + Math.max(0, pace) * Math.max(0, elapsed(charge, now) - last.elapsed);
  const step = last.soc! - before.soc! >= 8 ? 10 : last.soc! - before.soc! >= 4 ? 5 : 1;
  const round = Math.round(likely / step) * step;
  const offered = Math.abs(round - likely) <= 1.2 && round > last.soc! ? round : Math.round(likely);
  return Math.min(100, Math.max(last.soc!, offered));
}
