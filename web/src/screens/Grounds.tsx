/** Exhibits that have a page a ground: one is shown at a time, named in the address, with its tables beneath. */
import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { useSearchParams } from "react-router";
import { addressNow } from "../parts/address";

interface PagedProps<T> {
  pages: readonly T[];
  titleOf: (page: T) => string;
  children: (page: T) => ReactNode;
}

/** What all titles end with after their first comma; empty where they differ. */
function sharedEnd(titles: readonly string[]): string {
  const end = (title: string) => (title.includes(",") ? title.slice(title.indexOf(",")) : "");
  const first = end(titles[0] ?? "");
  return titles.every((title) => end(title) === first) ? first : "";
}

export function Paged<T>({ pages, titleOf, children }: PagedProps<T>) {
  const [search, setSearch] = useSearchParams();
  const page = pages.find((one) => titleOf(one) === search.get("ground")) ?? pages[0];
  if (!page) return null;
  const shared = sharedEnd(pages.map(titleOf));
  const show = (one: T) => {
    const next = addressNow();
    next.set("ground", titleOf(one));
    setSearch(next, { replace: true });
  };
  return (
    <>
      {pages.length > 1 && (
        <Box role="group" aria-label="Grounds" sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, mb: 1 }}>
          {pages.map((one) => (
            <Box
              component="button"
              key={titleOf(one)}
              aria-pressed={one === page}
              onClick={() => show(one)}
              sx={{
                all: "unset",
                cursor: "pointer",
                fontSize: "size.text",
                minHeight: 26,
                lineHeight: "26px",
                px: 1.25,
                borderBottom: 2,
                borderColor: one === page ? "primary.main" : "transparent",
                fontWeight: one === page ? 600 : 400,
                color: one === page ? "text.primary" : "text.secondary",
                "&:focus-visible": { outline: 2, outlineColor: "primary.main" },
              }}
            >
              {titleOf(one).slice(0, titleOf(one).length - shared.length)}
            </Box>
          ))}
        </Box>
      )}
      {children(page)}
    </>
  );
}
