/** Methods: what every measure, check and family of this server is, how it is computed and judged, and from which source. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useMemo } from "react";
import { useLocation, useSearchParams } from "react-router";
import { useMethods, type Method } from "../../api/methods";
import { DataTable } from "../../parts/DataTable";
import { Fetching, Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { plural, questions } from "../../wording";
import { found } from "./find";

const capital = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

const idOf = (one: Method) => `${one.kind}-${one.name}`;

export function Methods() {
  const methods = useMethods();
  const [search, setSearch] = useSearchParams();
  const words = search.get("find") ?? "";
  const { hash } = useLocation();
  const shown = useMemo(() => found(methods.data ?? [], words), [methods.data, words]);
  useEffect(() => {
    if (methods.data) document.getElementById(hash.slice(1))?.scrollIntoView();
  }, [hash, methods.data]);
  if (methods.isPending) return <Fetching what="the methods" />;
  if (!methods.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={methods.error} />
      </Box>
    );
  const find = (said: string) => setSearch(said ? { find: said } : {}, { replace: true });
  return (
    <Box component="main" sx={{ overflow: "auto", p: 3, "@media print": { overflow: "visible", p: 0 } }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 0.5, "@media print": { display: "block" } }}>
        <Typography variant="h1">Methods</Typography>
        <TextField
          label="Find"
          type="search"
          value={words}
          onChange={(event) => find(event.target.value)}
          sx={{ width: 280, "@media print": { display: "none" } }}
        />
        <Typography role="status" sx={{ color: "text.secondary", "@media print": { display: "none" } }}>
          {words
            ? `${shown.length} of ${plural(methods.data.length, "method")}`
            : plural(methods.data.length, "method")}
        </Typography>
        <Button sx={{ ml: "auto", "@media print": { display: "none" } }} onClick={() => window.print()}>
          Print all that is shown
        </Button>
      </Box>
      <Typography sx={{ color: "text.secondary", maxWidth: 860, mb: 2 }}>
        Written by the program of what it computes: the same text as its documentation. Every figure has its n and an
        interval, or says why not; how often each kind of interval holds the truth is simulated in the documentation
        (coverage). Limits are those of the built-in policy; a case shows its own.
      </Typography>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "220px minmax(0, 760px)",
          gap: 4,
          "@media print": { display: "block" },
        }}
      >
        <Contents shown={shown} />
        <Box>
          {shown.length === 0 && (
            <Typography sx={{ color: "text.secondary" }}>
              No method says that. Try one word of it, or the name of a source.
            </Typography>
          )}
          {PARTS.map(([kind, title]) => {
            const own = shown.filter((one) => one.kind === kind);
            return (
              own.length > 0 && (
                <Box component="section" key={kind} aria-label={title} sx={{ mb: 4 }}>
                  <Typography variant="h2" sx={{ mb: 1 }}>
                    {title}
                  </Typography>
                  {own.map((one) => (
                    <Page key={idOf(one)} method={one} />
                  ))}
                </Box>
              )
            );
          })}
        </Box>
      </Box>
    </Box>
  );
}

const PARTS: readonly [kind: Method["kind"], title: string][] = [
  ["check", "Checks"],
  ["measure", "Measures"],
  ["family", "Families of models"],
];

/** At the left what there is: checks under their questions, then measures and families. */
function Contents({ shown }: { shown: readonly Method[] }) {
  const headed: [string, Method[]][] = [
    ...questions().map(({ number, question }): [string, Method[]] => [
      `${number} ${question}`,
      shown.filter((one) => one.kind === "check" && one.question === number),
    ]),
    ["Measures", shown.filter((one) => one.kind === "measure")],
    ["Families of models", shown.filter((one) => one.kind === "family")],
  ];
  return (
    <Box
      component="nav"
      aria-label="Methods by name"
      sx={{
        position: "sticky",
        top: 0,
        alignSelf: "start",
        maxHeight: "calc(100vh - 90px)",
        overflow: "auto",
        fontSize: "size.small",
        "& a": { display: "block", py: 0.25, color: "text.secondary", textDecoration: "none" },
        "& a:hover": { color: "text.primary", textDecoration: "underline" },
        "@media print": { display: "none" },
      }}
    >
      {headed.map(
        ([title, own]) =>
          own.length > 0 && (
            <Box key={title} sx={{ mb: 1 }}>
              <Box sx={{ fontWeight: 600 }}>{title}</Box>
              {own.map((one) => (
                <a key={idOf(one)} href={`#${idOf(one)}`}>
                  {capital(one.title)}
                </a>
              ))}
            </Box>
          ),
      )}
    </Box>
  );
}

function Page({ method: one }: { method: Method }) {
  const settings = Object.entries(one.settings ?? {});
  return (
    <Box component="article" id={idOf(one)} sx={{ mb: 3, scrollMarginTop: 8, breakInside: "avoid" }}>
      <Typography variant="h3" sx={{ fontSize: "size.lead", mb: 0.25 }}>
        {capital(one.title)}{" "}
        <Box component="code" sx={{ color: "text.secondary", fontSize: "size.small", fontWeight: 400 }}>
          {one.name}
        </Box>
      </Typography>
      {one.said.split(/\n\n+/).map(
        (paragraph) =>
          paragraph && (
            <Typography key={paragraph} sx={{ mb: 0.5 }}>
              <Coded text={paragraph} />
            </Typography>
          ),
      )}
      {one.plan && (
        <Box
          component="blockquote"
          sx={{ m: 0, my: 1, pl: 1.5, borderLeft: 2, borderColor: "divider", font: `430 15px/1.5 ${SERIF}` }}
        >
          <Starred text={one.plan} />
          {(one.limits ?? []).map((limit) => (
            <Box key={limit} sx={{ typography: "caption", color: "text.secondary" }}>
              <Starred text={limit} />
            </Box>
          ))}
        </Box>
      )}
      <Box component="ul" sx={{ m: 0, pl: 2, color: "text.secondary", fontSize: "size.small" }}>
        {one.facts.map((fact) => (
          <li key={fact}>
            <Coded text={fact} />
          </li>
        ))}
        {(one.examples ?? []).map((example) => (
          <li key={example}>
            For example <Coded text={example} />
          </li>
        ))}
        {(one.coverage ?? []).length > 0 && (
          <li>
            How often its 95 % interval held the truth in simulations. {one.coverage?.join(". ")}. In brackets: of how
            many samples that could be judged, where not of all.
          </li>
        )}
        {one.source && <li>Source: {one.source}</li>}
      </Box>
      {settings.length > 0 && (
        <DataTable
          close
          label={`Settings of ${one.title}`}
          rows={settings}
          keyOf={([name]) => name}
          columns={[
            { head: "setting", namesRow: true, cell: ([name]) => <code>{name}</code> },
            { head: "default", cell: ([, value]) => value },
          ]}
        />
      )}
    </Box>
  );
}

/** Text in which `names` are set as such. */
function Coded({ text }: { text: string }) {
  return <>{text.split(/`+([^`]+)`+/).map((part, place) => (place % 2 ? <code key={place}>{part}</code> : part))}</>;
}

/** A sentence of a plan, whose values stand between stars. */
function Starred({ text }: { text: string }) {
  return <>{text.split(/\*([^*]+)\*/).map((part, place) => (place % 2 ? <b key={place}>{part}</b> : part))}</>;
}
