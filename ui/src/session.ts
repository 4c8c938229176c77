/** The session page: a marker on the minute bricks that tells what the charge costs where it stands. */
export function session() {
  return {
    init() {
      const root = (this as unknown as { $root: HTMLElement }).$root;
      root.addEventListener("pointerover", (event) => tell(root, event.target));
      root.addEventListener("focusin", (event) => tell(root, event.target));
      root.addEventListener("keydown", (event) => step(root, event));
    },
  };
}

function tell(root: HTMLElement, target: EventTarget | null): void {
  const brick = target instanceof Element ? target.closest<SVGElement>("[data-brick]") : null;
  const line = root.querySelector("#brick-told");
  if (!brick || !line) return;
  line.textContent = brick.dataset["brick"] ?? "";
  for (const other of root.querySelectorAll("[data-brick]")) other.classList.toggle("brick-told", other === brick);
}

/** Arrow keys go from brick to brick. */
function step(root: HTMLElement, event: KeyboardEvent): void {
  const forward = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
  const bricks = [...root.querySelectorAll<SVGElement>("[data-brick]")];
  const now = bricks.findIndex((brick) => brick === document.activeElement);
  if (!forward || now < 0) return;
  event.preventDefault();
  const next = bricks[now + forward];
  if (!next) return;
  bricks[now]!.tabIndex = -1;
  next.tabIndex = 0;
  next.focus();
}
