/** How a report is made: its length, the language of its numbers and dates, its paper, and the parts of a whole one. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Order, ReportView } from "../../api/report";
import { Choice } from "../../parts/Choice";
import { LANGUAGES, PAPERS } from "./forms";
import { Parts } from "./Parts";

const LENGTHS = {
  whole: "The whole report",
  short: "Short: four pages at most",
  sheet: "The committee's sheet",
} as const;
interface OrderBarProps {
  report: ReportView;
  order: Order;
  onOrder: (order: Order) => void;
}

export function OrderBar({ report, order, onOrder }: OrderBarProps) {
  const [choosing, setChoosing] = useState(false);
  const { form } = report;
  return (
    <Box
      component="section"
      aria-label="How it is made"
      sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}
    >
      <Choice
        label="Length"
        width={230}
        value={form.length ?? "whole"}
        choices={Object.entries(LENGTHS)}
        onChoose={(length) => onOrder({ ...order, length: length as Order["length"] })}
      />
      <Choice
        label="Numbers and dates"
        width={170}
        value={form.language ?? "en"}
        choices={LANGUAGES}
        onChoose={(language) => onOrder({ ...order, language: language as Order["language"] })}
      />
      <Choice
        label="Paper"
        width={100}
        value={form.paper ?? "a4"}
        choices={PAPERS}
        onChoose={(paper) => onOrder({ ...order, paper: paper as Order["paper"] })}
      />
      {(form.length ?? "whole") === "whole" && (
        <Button variant="outlined" onClick={() => setChoosing(true)}>
          {`Parts: ${form.parts?.length ?? report.parts.length} of ${report.parts.length}`}
        </Button>
      )}
      {Object.keys(order).length > 0 && <Button onClick={() => onOrder({})}>As the house has it</Button>}
      {choosing && (
        <Parts
          all={report.parts}
          chosen={form.parts ?? report.parts.map((one) => one.name)}
          onClose={() => setChoosing(false)}
          onChoose={(parts) => {
            setChoosing(false);
            onOrder({ ...order, parts: parts.join(",") });
          }}
        />
      )}
    </Box>
  );
}
