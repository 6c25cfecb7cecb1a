import { describe, expect, test } from "vitest";
import { pastedFile } from "./pasted";

describe("rows that were pasted", () => {
  test("need names and a row", () => {
    expect(pastedFile("")).toBeNull();
    expect(pastedFile("x,y\n\n")).toBeNull();
  });

  test("are a file of their own kind, without empty lines", async () => {
    const sheet = pastedFile("x\ty\r\n1\t2\r\n\r\n");
    expect(sheet?.name).toBe("pasted rows.tsv");
    expect(await sheet?.text()).toBe("x\ty\n1\t2\n");
    expect(pastedFile("x,y\n1,2")?.name).toBe("pasted rows.csv");
  });
});
