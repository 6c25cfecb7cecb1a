import { describe, expect, it } from "vitest";
import { shownText } from "./typed";

describe("what is typed into a field", () => {
  it("stays while the value under it is the same, whenever the field is drawn again", () => {
    expect(shownText({ text: "1001", over: "20417" }, "20417")).toBe("1001");
    expect(shownText({ text: "", over: "20417" }, "20417")).toBe("");
  });
  it("gives way to a value that was saved, undone or came from somebody else", () => {
    expect(shownText({ text: "1001", over: "20417" }, "1001")).toBe("1001");
    expect(shownText({ text: "10o1", over: "20417" }, "77")).toBe("77");
    expect(shownText(null, "77")).toBe("77");
  });
});
