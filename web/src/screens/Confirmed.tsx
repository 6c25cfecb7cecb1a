/** Where the provider leads back to once it confirmed who signs: hands the code over to the page that waits for it. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { handOver, REFUSALS } from "../api/signIn";

export function Confirmed() {
  const [code] = useState(() => window.location.hash.slice(1));
  const refused = new URLSearchParams(window.location.search).get("refused");
  useEffect(() => {
    if (!code) return;
    handOver(code);
    // It is used once: it need not stay in the address, or in what the browser remembers.
    window.history.replaceState(null, "", window.location.pathname);
  }, [code]);
  return (
    <Box component="main" sx={{ maxWidth: 460, mx: "auto", pt: 12, px: 3 }}>
      <Typography variant="h1">{code ? "It is you" : "Nothing was confirmed"}</Typography>
      <Typography>
        {code
          ? "Go back to the page where you sign: it can be signed now, once, within five minutes. This one can be closed."
          : ((refused && REFUSALS[refused]) ?? "Begin on the page where you sign.")}
      </Typography>
    </Box>
  );
}
