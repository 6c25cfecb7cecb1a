import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { DataTable, type TableColumn } from "./DataTable";

interface Home {
  name: string;
  visits: number;
}

const homes: Home[] = [
  { name: "Alder Lane", visits: 4 },
  { name: "Birch Row", visits: 12 },
];
const columns: TableColumn<Home>[] = [
  { head: "home", namesRow: true, cell: (home) => home.name },
  { head: "visits", right: true, sorted: "descending", cell: (home) => home.visits },
];
const drawn = (more: Partial<Parameters<typeof DataTable<Home>>[0]> = {}) =>
  renderToStaticMarkup(<DataTable rows={homes} columns={columns} keyOf={(home) => home.name} {...more} />).replace(
    /<style.*?<\/style>/g,
    "",
  );

describe("a table", () => {
  it("has a heading for each column and a cell for each of a row", () => {
    const html = drawn({ label: "Homes" });
    expect(html).toContain('aria-label="Homes"');
    expect(html.match(/scope="col"/g)).toHaveLength(2);
    expect(html.match(/<tr /g)).toHaveLength(3);
    expect(html.indexOf("Alder Lane")).toBeLessThan(html.indexOf("Birch Row"));
  });
  it("says by which column it is sorted, and which column names the row", () => {
    const html = drawn();
    expect(html).toMatch(/<th[^>]*aria-sort="descending"[^>]*>visits/);
    expect(html).not.toMatch(/<th[^>]*aria-sort[^>]*>home/);
    expect(html).toMatch(/<th[^>]*scope="row"[^>]*>Alder Lane/);
  });
  it("has no head where no column has one, and an empty corner where one has none", () => {
    expect(drawn({ columns: columns.map(({ cell }) => ({ cell })) })).not.toContain("<thead");
    const html = drawn({ columns: [{ cell: (home) => home.name }, ...columns.slice(1)] });
    expect(html.match(/scope="col"/g)).toHaveLength(1);
    expect(html).toMatch(/<thead[^>]*><tr[^>]*><td[^>]*><\/td><th/);
  });
  it("gives a row what it does, by its place", () => {
    const html = drawn({ row: (home, place) => ({ tabIndex: place - 1, "aria-selected": home.visits > 10 }) });
    expect(html).toMatch(/<tr[^>]*tabindex="-1"[^>]*aria-selected="false"/);
    expect(html).toMatch(/<tr[^>]*tabindex="0"[^>]*aria-selected="true"/);
  });
  it("says how many rows there are when it holds a window of them", () => {
    expect(drawn({ rowCount: 4000, caption: "Homes of 2025" })).toMatch(
      /aria-rowcount="4000".*<caption.*Homes of 2025/,
    );
  });
});
