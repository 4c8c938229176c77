/**
 * Charts with two axes are read where a pointer or a finger is, and with the arrow keys on a chart that has the focus: a line
 * across it, and what each of its lines shows there.
 */

import { say } from "./page";

/** Units of a drawing by which an arrow key moves. */
const STEP = 5;

export function plots(): void {
  const follow = (event: PointerEvent) => {
    const chart = of(event.target);
    if (!chart) return;
    const box = chart.getBoundingClientRect();
    show(chart, ((event.clientX - box.left) / box.width) * chart.viewBox.baseVal.width);
  };
  document.addEventListener("pointermove", follow);
  document.addEventListener("pointerdown", follow);
  document.addEventListener("keydown", (event) => {
    const chart = event.target instanceof SVGSVGElement ? of(event.target) : null;
    const steps: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1, PageUp: 10, PageDown: -10 };
    const step = steps[event.key];
    if (!chart || step === undefined) return;
    event.preventDefault();
    const [from, to] = ends(chart);
    const at = Number(chart.dataset["at"] ?? from) + STEP * step;
    say(show(chart, Math.min(to, Math.max(from, at))));
  });
}

function of(target: EventTarget | null): SVGSVGElement | null {
  return target instanceof Element ? target.closest<SVGSVGElement>("svg[data-plot]") : null;
}

/** Where the chart begins and ends, as its lines across do. */
function ends(chart: SVGSVGElement): [number, number] {
  const line = chart.querySelector(".grid");
  return [Number(line?.getAttribute("x1") ?? 0), Number(line?.getAttribute("x2") ?? chart.viewBox.baseVal.width)];
}

/** Shows what the chart's lines are at a place, and says it. */
function show(chart: SVGSVGElement, wanted: number): string {
  const [from, to] = ends(chart);
  const at = Math.min(to, Math.max(from, wanted));
  chart.dataset["at"] = String(at);
  const axis = { x: scale(chart, "xAt"), left: scale(chart, "yAt"), right: scale(chart, "rightAt") };
  const onTheRight = (chart.dataset["onTheRight"] ?? "").split(",").filter((name) => name);
  const [told, marks] = [[] as string[], [] as Element[]];
  for (const line of chart.querySelectorAll<SVGPathElement>("path[data-line]")) {
    const height = heightAt(line.getAttribute("d") ?? "", at);
    const name = line.dataset["line"] ?? "";
    const value = height === null ? null : (onTheRight.includes(name) ? axis.right : axis.left)?.(height);
    if (height === null || value === null || value === undefined) continue;
    told.push(`${name || chart.dataset["yName"]}: ${figure(value)}`);
    marks.push(drawn("circle", { cx: at, cy: height, r: 4 }));
  }
  const place = axis.x?.(at);
  const text = [place === undefined ? nearest(chart, at) : `${chart.dataset["xName"]}: ${figure(place)}`, ...new Set(told)].join(" · ");
  const [top, bottom] = ["y", "height"].map((name) => Number(chart.querySelector(".drag-window")?.getAttribute(name) ?? 0));
  const line = drawn("line", { x1: at, x2: at, y1: top!, y2: top! + bottom! });
  const words = drawn("text", { x: from, y: top! + bottom! + 40 });
  words.textContent = text;
  chart.querySelector(".cursor")?.replaceChildren(line, ...marks, words);
  return text;
}

/** The value at a place of an axis, by two of its marks; `null` where these are no numbers. */
function scale(chart: SVGSVGElement, name: string): ((place: number) => number) | undefined {
  const marks = [...chart.querySelectorAll<SVGTextElement>("text")].filter((text) => text.dataset[name] !== undefined);
  const read = (text: SVGTextElement) => [Number(text.dataset[name]), Number((text.textContent ?? "").trim().replace("−", "-"))] as const;
  const [first, last] = [marks[0], marks[marks.length - 1]];
  if (!first || !last || first === last) return undefined;
  const [[a, low], [b, high]] = [read(first), read(last)];
  if (Number.isNaN(low) || Number.isNaN(high) || a === b) return undefined;
  return (place) => low + ((high - low) * (place - a)) / (b - a);
}

/** The mark nearest to a place, where marks are no numbers. */
function nearest(chart: SVGSVGElement, at: number): string {
  const marks = [...chart.querySelectorAll<SVGTextElement>("text[data-x-at]")];
  const far = (text: SVGTextElement) => Math.abs(Number(text.dataset["xAt"]) - at);
  const best = marks.sort((a, b) => far(a) - far(b))[0];
  return best ? `about ${(best.textContent ?? "").trim()}` : "";
}

/** The height of a path through points that go to the right; `null` beside it. */
function heightAt(path: string, at: number): number | null {
  const points = path
    .split(/[ML]/)
    .filter((point) => point)
    .map((point) => point.split(" ").map(Number));
  for (let index = 1; index < points.length; index++) {
    const [[x1, y1], [x2, y2]] = [points[index - 1] as [number, number], points[index] as [number, number]];
    if (at >= x1 && at <= x2) return x2 > x1 ? y1 + ((y2 - y1) * (at - x1)) / (x2 - x1) : y2;
  }
  return null;
}

function figure(value: number): string {
  return value.toFixed(Math.abs(value) < 9.95 ? 1 : 0).replace("-", "−");
}

/** A part of a drawing. */
export function drawn(name: string, attributes: Record<string, number>): Element {
  const element = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  return element;
}
