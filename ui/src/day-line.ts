import { drawn } from "./plots";

/** What the day line tells at each of its points. */
interface Readout {
  /** Minute, SoC, distance, and which of `doing` is begun there. */
  points: [number, number, number, number][];
  doing: string[];
  unit: string;
  /** Whether hours are told by a clock of twelve. */
  twelve: boolean;
  /** Minute of the day at which the trip leaves. */
  leaves: number;
}

/** Where the day line is read, and what it tells there. */
export interface Reading {
  minute: number;
  soc: number;
  /** Along the road, in the unit of the person. */
  place: number;
  text: string;
}

export function readoutOf(figure: Element): Readout {
  return JSON.parse(figure.querySelector<HTMLElement>("[data-readout]")?.dataset["readout"] ?? "null") as Readout;
}

/** What is so many minutes after leaving. */
export function readAt(of: Readout, wanted: number): Reading {
  const { points } = of;
  const last = points[points.length - 1]!;
  const minute = Math.min(last[0], Math.max(0, wanted));
  const next = Math.max(1, points.findIndex((point) => point[0] >= minute));
  const [before, after] = [points[next - 1]!, points[next] ?? last];
  const share = after[0] > before[0] ? (minute - before[0]) / (after[0] - before[0]) : 1;
  const between = (index: 1 | 2) => before[index] + share * (after[index] - before[index]);
  const soc = between(1);
  const text = `${clock(of, minute)} · ${Math.round(between(2))} ${of.unit} · ${soc.toFixed(0)} % · ${of.doing[after[3]]}`;
  return { minute, soc, place: between(2), text };
}

function clock(of: Readout, minute: number): string {
  const at = Math.round(of.leaves + minute) % 1440;
  const [hour, rest] = [Math.floor(at / 60), String(at % 60).padStart(2, "0")];
  if (!of.twelve) return `${String(hour).padStart(2, "0")}:${rest}`;
  return `${hour % 12 || 12}:${rest} ${hour < 12 ? "am" : "pm"}`;
}

/** Shows on both drawings where the line is read, and what it tells. */
export function show(figure: Element, of: Readout, wanted: number): void {
  const reading = readAt(of, wanted);
  const end = of.points[of.points.length - 1]![0];
  for (const chart of figure.querySelectorAll<SVGSVGElement>("svg[data-along]")) {
    const [axis, from, to] = (chart.dataset["along"] ?? "").split(" ");
    const along = Number(from) + ((Number(to) - Number(from)) * reading.minute) / dayEnd(chart);
    const [top, bottom] = [Number(chart.dataset["top"]), Number(chart.dataset["bottom"])];
    const across = bottom + ((top - bottom) * reading.soc) / 100;
    const place = (a: number, b: number): [number, number] => (axis === "x" ? [a, b] : [b, a]);
    const [[x1, y1], [x2, y2], [cx, cy]] = [place(along, top), place(along, bottom), place(along, across)];
    const cursor = chart.querySelector(".cursor");
    if (!cursor) continue;
    cursor.replaceChildren(
      drawn("line", { x1, y1, x2, y2 }),
      drawn("circle", { cx, cy, r: 5 }),
    );
  }
  light(reading.place);
  const told = figure.querySelector<HTMLElement>(".readout");
  if (!told) return;
  told.textContent = reading.text;
  told.setAttribute("aria-valuenow", ((100 * reading.minute) / end).toFixed(0));
  told.setAttribute("aria-valuetext", reading.text);
  told.dataset["minute"] = String(reading.minute);
}

/** Shows on the map of the trip, where there is one, the place that is read. */
function light(place: number): void {
  const map = document.querySelector<HTMLElement>("[data-map]");
  const along = JSON.parse(map?.dataset["along"] ?? "[]") as [number, number, number][];
  const next = along.findIndex((point) => point[0] >= place);
  const [before, after] = [along[Math.max(0, next - 1)], along[next]];
  if (!map || !before || !after) return;
  const share = after[0] > before[0] ? (place - before[0]) / (after[0] - before[0]) : 1;
  const [cx, cy] = [before[1] + share * (after[1] - before[1]), before[2] + share * (after[2] - before[2])];
  map.querySelector(".cursor")?.replaceChildren(drawn("circle", { cx, cy, r: 9 }));
}

/** Minutes that the whole length of a drawing stands for. */
function dayEnd(chart: SVGSVGElement): number {
  return Number(chart.dataset["end"]);
}

/** The minute at a pointer over one of the drawings; `null` where it is beside them. */
export function minuteAt(event: PointerEvent): number | null {
  const chart = event.target instanceof Element ? event.target.closest<SVGSVGElement>("svg[data-along]") : null;
  if (!chart) return null;
  const box = chart.getBoundingClientRect();
  const [axis, from, to] = (chart.dataset["along"] ?? "").split(" ");
  const view = chart.viewBox.baseVal;
  const place =
    axis === "x" ? ((event.clientX - box.left) / box.width) * view.width : ((event.clientY - box.top) / box.height) * view.height;
  const end = dayEnd(chart);
  return ((place - Number(from)) / (Number(to) - Number(from))) * end;
}
