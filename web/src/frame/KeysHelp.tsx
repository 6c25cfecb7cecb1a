/** The keys that act on this page, shown by `?`. */
import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import { useState } from "react";
import { DataTable } from "../parts/DataTable";
import { Kbd } from "../parts/Kbd";
import { keysAreOff, switchKeys, useBoundKeys, useKeys } from "./keys";

export function KeysHelp() {
  const [open, setOpen] = useState(false);
  const [off, setOff] = useState(keysAreOff());
  const acts = useBoundKeys();
  useKeys([{ keys: "?", does: "show the keys of this page", act: () => setOpen(true) }]);
  return (
    <Dialog open={open} onClose={() => setOpen(false)} aria-labelledby="keys-title">
      <DialogTitle id="keys-title" variant="h2">
        Keys on this page
      </DialogTitle>
      <DialogContent>
        <DataTable
          label="Keys"
          rows={acts}
          keyOf={(a) => a.keys + a.does}
          columns={[{ cell: (a) => <Kbd>{a.keys}</Kbd> }, { cell: (a) => a.does }]}
        />
        <FormControlLabel
          sx={{ mt: 2 }}
          control={
            <Switch
              checked={!off}
              onChange={(_, on) => {
                switchKeys(!on);
                setOff(!on);
              }}
            />
          }
          label="Single keys act"
        />
      </DialogContent>
    </Dialog>
  );
}
