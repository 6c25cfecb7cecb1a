import { expect, test } from "vitest";
import { unfilled } from "./unfilled";

test("fields that nobody filled in are told, each once", () => {
  expect(unfilled("It is off in {district}.", "{district} and {who}", "n {3}")).toEqual(["{district}", "{who}"]);
});
