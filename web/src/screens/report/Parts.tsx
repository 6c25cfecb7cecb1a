/** Which parts a whole report has, and in what order; those left out are named at its end. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import { useState } from "react";
import type { Part, ReportView } from "../../api/report";
import { SERIF } from "../../theme";
import { moved, startingFrom } from "./chosenParts";

interface PartsProps {
  all: ReportView["parts"];
  chosen: Part[];
  onChoose: (parts: Part[]) => void;
  onClose: () => void;
}

export function Parts({ all, chosen, onChoose, onClose }: PartsProps) {
  const [parts, setParts] = useState(() => startingFrom(all, chosen));
  const turn = (name: Part) => setParts(parts.map((one) => (one.name === name ? { ...one, isIn: !one.isIn } : one)));
  return (
    <Dialog open onClose={onClose} aria-labelledby="parts-title" maxWidth="sm" fullWidth>
      <DialogTitle id="parts-title" sx={{ fontFamily: SERIF, fontSize: "size.head" }}>
        Parts of the report
      </DialogTitle>
      <DialogContent>
        <Box component="ol" aria-label="Parts, in order" sx={{ m: 0, p: 0, listStyle: "none" }}>
          {parts.map((part, place) => (
            <Box
              component="li"
              key={part.name}
              sx={{ display: "flex", alignItems: "center", gap: 0.5, borderBottom: 1, borderColor: "divider" }}
            >
              <FormControlLabel
                sx={{ flex: 1, m: 0 }}
                disabled={part.name === "decision"}
                control={<Checkbox size="small" checked={part.isIn} onChange={() => turn(part.name)} />}
                label={part.words}
              />
              <Button
                aria-label={`Up: ${part.words}`}
                disabled={place === 0}
                onClick={() => setParts(moved(parts, place, -1))}
              >
                Up
              </Button>
              <Button
                aria-label={`Down: ${part.words}`}
                disabled={place === parts.length - 1}
                onClick={() => setParts(moved(parts, place, 1))}
              >
                Down
              </Button>
            </Box>
          ))}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button variant="contained" onClick={() => onChoose(parts.filter((one) => one.isIn).map((one) => one.name))}>
          Make it so
        </Button>
      </DialogActions>
    </Dialog>
  );
}
