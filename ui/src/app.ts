import Alpine from "@alpinejs/csp";
import { keys } from "./keys";
import { page } from "./page";
import { session } from "./session";
import { themeButton } from "./theme-button";
import { trip } from "./trip";

Alpine.data("keys", keys);
Alpine.data("page", page);
Alpine.data("session", session);
Alpine.data("themeButton", themeButton);
Alpine.data("trip", trip);
Alpine.start();
