import { MutationObserver, QueryClient } from "@tanstack/react-query";
import { expect, it } from "vitest";
import { askBeforeLeaving } from "./leaving";

it("asks before the page is left while something is being saved, and at no other time", async () => {
  const cache = new QueryClient();
  const page = new EventTarget();
  askBeforeLeaving(cache, page);
  const asks = () => !page.dispatchEvent(new Event("beforeunload", { cancelable: true }));
  let arrive = () => {};
  const answer = new Promise<void>((resolve) => (arrive = resolve));
  const saved = new MutationObserver(cache, { mutationFn: () => answer });

  expect(asks()).toBe(false);
  const saving = saved.mutate();
  expect(asks()).toBe(true);
  arrive();
  await saving;
  expect(asks()).toBe(false);
});
