/** Faults beside their fields: an answer of the server holds a hidden note for each, by the field's name. */

/** Shows the faults that an answer holds, and takes back those that are mended. */
export function showFaults(form: HTMLFormElement, answer: Element): void {
  for (const control of form.querySelectorAll<HTMLInputElement>("[aria-invalid]")) {
    if (!answer.querySelector(`[data-fault="${control.name}"]`)) say(control, "");
  }
  for (const note of answer.querySelectorAll<HTMLElement>("[data-fault]")) {
    const control = form.elements.namedItem(note.dataset["fault"] ?? "");
    if (control instanceof HTMLInputElement) say(control, note.textContent ?? "");
  }
}

function say(control: HTMLInputElement, fault: string): void {
  if (fault) control.setAttribute("aria-invalid", "true");
  else control.removeAttribute("aria-invalid");
  const line = document.getElementById(`${control.name}-fault`);
  if (line) line.textContent = fault;
}
