/**
 * Sends forms and follows in-app links marked `data-swap` without a reload: the answer's `<main>` takes the place of
 * this page's. Without this script the same forms and links work as plain ones.
 */
export function page() {
  return {
    init() {
      document.addEventListener("submit", (event) => {
        const form = event.target;
        if (!(form instanceof HTMLFormElement) || !form.matches("[data-swap]")) return;
        event.preventDefault();
        void send(form, event.submitter);
      });
      addEventListener("popstate", () => void visit(location.href, false));
      document.addEventListener("toggle", () => void load(), true);
      void load();
    },
  };
}

async function send(form: HTMLFormElement, submitter: HTMLElement | null): Promise<void> {
  const data = new FormData(form, submitter);
  if (form.method === "get") {
    const query = new URLSearchParams([...data].map(([name, value]) => [name, String(value)]));
    return visit(`${form.action.split("?")[0]}?${query}`, true);
  }
  const plain = form.enctype !== "multipart/form-data";
  const body = plain ? new URLSearchParams([...data].map(([name, value]) => [name, String(value)])) : data;
  form.setAttribute("aria-busy", "true");
  // What is still loaded is of a page that the answer takes the place of.
  leaving.abort();
  try {
    const response = body instanceof FormData ? await upload(form, body) : await fetch(form.action, { method: "post", body });
    // A form that was refused stays at its page's address: the one it was sent to may be no page.
    await swap(response, response.redirected);
  } catch {
    say("The server does not answer. What you typed is still here; send it again when it does.");
  } finally {
    form.removeAttribute("aria-busy");
  }
}

/** Ends what is still loaded for a page that is left. */
let leaving = new AbortController();

/** Fills parts that were asked anew; what was being filled is no longer wanted. */
export function loadParts(): void {
  leaving.abort();
  leaving = new AbortController();
  void load();
}

/** Fills parts of the page that take the server longer than the page itself, and parts of those in turn. */
async function load(): Promise<void> {
  const { signal } = leaving;
  for (let part = nextToLoad(); part && !signal.aborted; part = nextToLoad()) {
    const address = part.dataset["load"] ?? "";
    delete part.dataset["load"];
    // It says itself that it is awaited, and is not dimmed.
    part.dataset["part"] = "";
    part.setAttribute("aria-busy", "true");
    try {
      const response = await fetch(address, { signal });
      if (response.ok) part.innerHTML = await response.text();
      else if (response.status === 503) askAgain(part, address, Number(response.headers.get("retry-after")) || 5, signal);
    } catch {
      // It is asked for again with the next parts, unless it was asked anew meanwhile.
      if (signal.aborted) part.dataset["load"] ??= address;
    } finally {
      part.removeAttribute("aria-busy");
    }
  }
}

/** Asks for a part again in so many seconds, when the server has less to do. */
function askAgain(part: HTMLElement, address: string, seconds: number, signal: AbortSignal): void {
  setTimeout(() => {
    if (signal.aborted) return;
    part.dataset["load"] ??= address;
    void load();
  }, 1_000 * seconds);
}

/** The next part that is in sight: what is folded waits until it is opened. */
function nextToLoad(): HTMLElement | undefined {
  const parts = document.querySelectorAll<HTMLElement>("[data-load]");
  return [...parts].find((part) => !part.closest("details:not([open])"));
}

/** Sends a form with files and tells how far it has come, where the form has a line for that. */
async function upload(form: HTMLFormElement, body: FormData): Promise<Response> {
  const line = form.querySelector("#progress");
  const request = new XMLHttpRequest();
  request.open("post", form.action);
  request.upload.addEventListener("progress", ({ loaded, total }) => {
    if (line) line.textContent = loaded < total ? `Sending: ${Math.round((100 * loaded) / total)} %` : "Sent. Reading it…";
  });
  await new Promise<void>((resolve, reject) => {
    request.addEventListener("load", () => resolve());
    for (const failed of ["error", "abort", "timeout"]) request.addEventListener(failed, () => reject(new Error(failed)));
    request.send(body);
  });
  if (line) line.textContent = "";
  const response = new Response(request.responseText, { status: request.status });
  const arrived = request.responseURL;
  Object.defineProperties(response, { url: { value: arrived }, redirected: { value: arrived !== form.action } });
  return response;
}

async function visit(address: string, remember: boolean): Promise<void> {
  try {
    await swap(await fetch(address), remember);
  } catch {
    location.assign(address);
  }
}

async function swap(response: Response, remember: boolean): Promise<void> {
  const next = new DOMParser().parseFromString(await response.text(), "text/html");
  const [old, main] = [document.querySelector("main"), next.querySelector("main")];
  if (!old || !main) {
    say(`The server answered with ${response.status}; nothing was changed.`);
    return;
  }
  for (const part of old.querySelectorAll<HTMLDetailsElement>("details[id][open]")) {
    const same = main.querySelector(`#${part.id}`);
    if (same instanceof HTMLDetailsElement) same.open = true;
  }
  leaving.abort();
  leaving = new AbortController();
  old.replaceWith(main);
  // What may be undone is another thing now.
  const undo = next.getElementById("undo");
  if (undo) document.getElementById("undo")?.replaceWith(undo);
  document.title = next.title;
  void load();
  if (remember && response.url !== location.href) history.pushState(null, "", response.url);
  const focus = main.querySelector<HTMLElement>("[data-focus], [aria-invalid=true], h1");
  if (focus && !focus.matches("input, textarea, select")) focus.tabIndex = -1;
  focus?.focus();
}

/** Says something to everyone, in the line that screen readers listen to. */
export function say(text: string): void {
  const line = document.getElementById("say");
  if (line) line.textContent = text;
}
