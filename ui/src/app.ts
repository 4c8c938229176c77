import Alpine from "@alpinejs/csp";
import { bricks } from "./bricks";
import { bring } from "./bring";
import { keys } from "./keys";
import { live } from "./live/live";
import { page } from "./page";
import { plots } from "./plots";
import { preview } from "./preview";
import { road } from "./live/road";
import { session } from "./session";
import { tariff } from "./tariff";
import { themeButton } from "./theme-button";
import { trip } from "./trip";

Alpine.data("bring", bring);
Alpine.data("keys", keys);
Alpine.data("live", live);
Alpine.data("page", page);
Alpine.data("preview", preview);
Alpine.data("road", road);
Alpine.data("session", session);
Alpine.data("tariff", tariff);
Alpine.data("themeButton", themeButton);
Alpine.data("trip", trip);
Alpine.start();
plots();
bricks();

// The live page must open without a signal. Browsers allow this on localhost and over https only.
if (/^\/(measure\/|road)/.test(location.pathname)) void navigator.serviceWorker?.register("/worker.js").catch(() => {});
