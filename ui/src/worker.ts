// Keeps the live page and what it needs, so that a reload at a stall without a signal still shows it. The network always
// comes first; what is kept here is shown only when it does not answer, and goes when somebody signs out.
const KEPT = "spare-hour-live-1";
const NEEDED = ["/assets/app.css", "/assets/app.js", "/assets/theme.js", "/assets/source-sans-3-latin-400-normal.woff2", "/assets/source-sans-3-latin-700-normal.woff2", "/assets/icon.svg"];

interface Lasting extends Event {
  waitUntil(promise: Promise<unknown>): void;
}
interface Fetching extends Event {
  request: Request;
  respondWith(response: Promise<Response>): void;
}

addEventListener("install", (event) => (event as Lasting).waitUntil(caches.open(KEPT).then((cache) => cache.addAll(NEEDED))));

addEventListener("fetch", (event) => {
  const { request } = event as Fetching;
  const path = new URL(request.url).pathname;
  const livePage = request.mode === "navigate" && /^\/(measure\/\d+|road)$/.test(path);
  if (request.method === "POST" && /^\/sign-out(-everywhere)?$/.test(path)) (event as Lasting).waitUntil(caches.delete(KEPT));
  if (request.method === "GET" && (livePage || NEEDED.includes(path))) (event as Fetching).respondWith(networkFirst(request));
});

async function networkFirst(request: Request): Promise<Response> {
  const cache = await caches.open(KEPT);
  try {
    const response = await fetch(request);
    if (response.ok && !response.redirected) await cache.put(request, response.clone());
    return response;
  } catch (error) {
    const kept = await cache.match(request);
    if (kept) return kept;
    throw error;
  }
}
