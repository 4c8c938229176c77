/** The session page: windows dragged on the chart. */
export function session() {
  return {
    init() {
      const root = (this as unknown as { $root: HTMLElement }).$root;
      root.addEventListener("pointerdown", (event) => drag(root, event));
      // A link to a part of the page opens it.
      const part = location.hash && root.querySelector(location.hash);
      if (part instanceof HTMLDetailsElement) part.open = true;
    },
  };
}

/** Marks a window from where the pointer goes down to where it comes up, and measures it. */
function drag(root: HTMLElement, down: PointerEvent): void {
  const chart = down.target instanceof Element ? down.target.closest<SVGSVGElement>("[data-drag-window]") : null;
  const form = root.querySelector<HTMLFormElement>("#window-form");
  const mark = chart?.querySelector<SVGRectElement>(".drag-window");
  if (!chart || !form || !mark) return;
  const [left, right] = [Number(chart.dataset["left"]), Number(chart.dataset["right"])];
  const at = (event: PointerEvent) => {
    const box = chart.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * chart.viewBox.baseVal.width;
    return Math.min(right, Math.max(left, x));
  };
  const soc = (x: number) => Math.round((100 * (x - left)) / (right - left));
  const start = at(down);
  const move = (event: PointerEvent) => {
    mark.setAttribute("x", String(Math.min(start, at(event))));
    mark.setAttribute("width", String(Math.abs(at(event) - start)));
  };
  const up = (event: PointerEvent) => {
    removeEventListener("pointermove", move);
    const [from, to] = [soc(Math.min(start, at(event))), soc(Math.max(start, at(event)))];
    if (to - from < 2) return mark.setAttribute("width", "0");
    fit(form, "from", from);
    fit(form, "to", to);
    form.requestSubmit();
  };
  addEventListener("pointermove", move);
  addEventListener("pointerup", up, { once: true });
}

/** Puts a SoC into a field. */
function fit(form: HTMLFormElement, name: string, value: number): void {
  const field = form.elements.namedItem(name);
  if (field instanceof HTMLInputElement) field.value = String(value);
}
