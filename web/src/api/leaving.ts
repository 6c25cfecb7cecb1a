/** While something is being saved, the browser asks before it leaves the page or loads it again. */
import type { QueryClient } from "@tanstack/react-query";

export function askBeforeLeaving(cache: QueryClient, page: EventTarget): void {
  page.addEventListener("beforeunload", (event) => {
    if (cache.isMutating() > 0) event.preventDefault();
  });
}
