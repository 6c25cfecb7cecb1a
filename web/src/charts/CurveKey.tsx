/** A chart's title and which colour is which. */
import Box from "@mui/material/Box";
import type { Curve } from "./Curves";

interface CurveKeyProps {
  title: string;
  curves: readonly Pick<Curve, "label" | "colour">[];
}

export function CurveKey({ title, curves }: CurveKeyProps) {
  return (
    <Box component="figcaption" sx={{ fontSize: "size.small", color: "text.secondary" }}>
      {title}
      {curves.length > 0 && ": "}
      {curves.map((curve) => (
        <Box key={curve.label} component="span" sx={{ mr: 1.5, display: "inline-block", whiteSpace: "nowrap" }}>
          <Box
            component="span"
            sx={{
              display: "inline-block",
              width: 14,
              height: 4,
              bgcolor: curve.colour,
              mr: 0.5,
              verticalAlign: "middle",
            }}
          />
          {curve.label}
        </Box>
      ))}
    </Box>
  );
}
