/** Minute bricks are read where a pointer or a finger is, and with the arrow keys: what one costs stands in a line below them. */

export function bricks(): void {
  for (const name of ["pointerover", "pointerdown", "focusin"]) document.addEventListener(name, (event) => tell(event.target));
  document.addEventListener("keydown", step);
}

function of(target: EventTarget | null): SVGElement | null {
  return target instanceof Element ? target.closest<SVGElement>("[data-brick]") : null;
}

function tell(target: EventTarget | null): void {
  const brick = of(target);
  const section = brick?.closest("section");
  const line = section?.querySelector("[data-brick-told]");
  if (!brick || !section || !line) return;
  line.textContent = brick.dataset["brick"] ?? "";
  for (const other of section.querySelectorAll("[data-brick]")) other.classList.toggle("brick-told", other === brick);
}

/** Arrow keys go from brick to brick. */
function step(event: KeyboardEvent): void {
  const now = of(event.target);
  const forward = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
  if (!now || !forward) return;
  event.preventDefault();
  const row = [...(now.closest("svg")?.querySelectorAll<SVGElement>("[data-brick]") ?? [])];
  const next = row[row.indexOf(now) + forward];
  if (!next) return;
  now.tabIndex = -1;
  next.tabIndex = 0;
  next.focus();
}
