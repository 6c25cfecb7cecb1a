/** Models, challengers and versions on the same rows: ranked, bracketed, their curves overlaid; the address is the view. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { useComparison } from "../api/queries";
import { useTheCase } from "../frame/CaseFrame";
import { useKeys } from "../frame/keys";
import { InlineChoice } from "../parts/Inline";
import { Kbd } from "../parts/Kbd";
import { Fetching, Said } from "../parts/Said";
import { SERIF } from "../theme";
import { count, plural } from "../wording";
import { Content } from "./Content";
import { addressNow } from "../parts/address";

export function Compare() {
  const { theCase } = useTheCase();
  const [address, setAddress] = useSearchParams();
  const [asTables, setAsTables] = useState(false);
  const asked = {
    models: address.get("models") ?? "",
    part: address.get("part") ?? undefined,
    measure: address.get("measure") ?? undefined,
  };
  const found = useComparison(theCase.id, asked);
  useKeys([{ keys: "t", does: "show tables, or pictures again", act: () => setAsTables(!asTables) }]);
  if (found.isPending) return <Fetching what="the models" />;
  if (!found.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={found.error} />
      </Box>
    );
  const view = found.data;
  const set = (changes: Record<string, string>) => {
    const next = addressNow();
    for (const [name, value] of Object.entries(changes)) {
      if (value) next.set(name, value);
      else next.delete(name);
    }
    setAddress(next, { replace: true });
  };
  const chosen = view.candidates.filter((one) => one.chosen).map((one) => one.name);
  const choose = (name: string, on: boolean) =>
    set({ models: (on ? [...chosen, name] : chosen.filter((one) => one !== name)).join(",") });
  const highlight = view.candidates.find((one) => one.name === address.get("highlight") && one.chosen);
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "244px 1fr", minHeight: "100%" }}>
      <Box
        component="nav"
        aria-label="Models"
        sx={{ borderRight: 1, borderColor: "divider", pl: 3, pr: 1.25, pt: 1.5, pb: 2, fontSize: "size.text" }}
      >
        <Typography variant="body2" sx={{ mb: 1 }}>
          <Link to={`/cases/${theCase.id}/evidence`}>Back to the evidence</Link>
        </Typography>
        <Box sx={{ mb: 0.5 }}>
          On{" "}
          <InlineChoice
            name="Part"
            value={view.part}
            disabled={false}
            options={view.parts.map((part) => [part, `${part.replaceAll("_", "-")} rows`] as const)}
            onSet={(part) => set({ part, models: "" })}
          />
        </Box>
        <Box sx={{ mb: 1.5 }}>
          by{" "}
          <InlineChoice
            name="Measure"
            value={view.measure}
            disabled={false}
            options={Object.entries(view.measures)}
            onSet={(measure) => set({ measure })}
          />
        </Box>
        {view.candidates.map((one) => (
          <Candidate
            key={one.name}
            one={one}
            highlit={highlight?.name === one.name}
            onChoose={(on) => choose(one.name, on)}
            onHighlight={(on) => set({ highlight: on ? one.name : "" })}
          />
        ))}
      </Box>
      <Box
        component="article"
        aria-label="Comparison"
        sx={{ p: 3, pt: 1.75, minWidth: 0, opacity: found.isPlaceholderData ? 0.6 : 1 }}
      >
        <Typography variant="h2" sx={{ fontSize: "size.lead", fontWeight: 500, color: "text.secondary" }}>
          {plural(chosen.length, "model")} side by side{view.n ? `, on the same ${count(view.n)} rows` : ""}
        </Typography>
        <Typography
          sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34, fontWeight: 470, my: 1, maxWidth: 700 }}
        >
          {view.problem ?? view.answer}
        </Typography>
        {!view.problem && (
          <Button aria-pressed={asTables} onClick={() => setAsTables(!asTables)} sx={{ mb: 1, ml: -1 }}>
            {asTables ? "As pictures" : "As tables"}&nbsp; <Kbd>t</Kbd>
          </Button>
        )}
        <Content
          charts={view.charts}
          series={view.series}
          tables={view.tables}
          estimates={view.estimates}
          asTables={asTables}
          highlight={highlight?.words}
        />
        {view.candidates.some((one) => one.missing > 0) && (
          <Typography variant="body2" color="text.secondary">
            What can’t be chosen has not been fitted under this plan; its check, challengers or the version in use, has
            to be on and run.
          </Typography>
        )}
      </Box>
    </Box>
  );
}

interface CandidateProps {
  one: Schemas["CandidateView"];
  highlit: boolean;
  onChoose: (on: boolean) => void;
  onHighlight: (on: boolean) => void;
}

function Candidate({ one, highlit, onChoose, onHighlight }: CandidateProps) {
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 0.75,
        minHeight: 26,
        bgcolor: highlit ? "brook.pale" : "transparent",
        mx: -0.75,
        px: 0.75,
        borderRadius: 0.75,
      }}
    >
      <Box
        component="label"
        sx={{
          display: "flex",
          gap: 0.75,
          alignItems: "center",
          color: one.missing ? "text.secondary" : "text.primary",
        }}
      >
        <input
          type="checkbox"
          checked={one.chosen}
          disabled={one.missing > 0}
          onChange={(event) => onChoose(event.target.checked)}
          style={{ width: 15, height: 15, accentColor: "var(--mui-palette-primary-main)" }}
        />
        {one.words}
      </Box>
      {one.chosen && (
        <Button
          size="small"
          aria-pressed={highlit}
          aria-label={`Highlight ${one.words}`}
          onClick={() => onHighlight(!highlit)}
          sx={{ ml: "auto", py: 0, minWidth: 0, fontSize: "size.note" }}
        >
          {highlit ? "all alike" : "highlight"}
        </Button>
      )}
      {one.missing > 0 && (
        <Box component="span" sx={{ ml: "auto", fontSize: "size.note", color: "brook.muted" }}>
          not run
        </Box>
      )}
    </Box>
  );
}
