import { expect, it } from "vitest";
import { together } from "./together";

it("puts the notes of two windows together, and nothing of either is lost", () => {
  const mine = { text: "Ask for the script.", set_aside: [2, 3], revision: 1 };
  const other = { text: "Read again.", set_aside: [1, 2], revision: 4 };
  expect(together(mine, other)).toEqual({
    text: "Read again.\n\nAsk for the script.",
    set_aside: [1, 2, 3],
    revision: 4,
  });
  expect(together({ ...mine, text: "Read again. And more." }, other).text).toBe("Read again. And more.");
  expect(together({ ...mine, text: "" }, other).text).toBe("Read again.");
});
