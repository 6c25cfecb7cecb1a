/** What may be wider than the page: it scrolls sideways, and then the keyboard can reach it. */
import Box from "@mui/material/Box";
import { useEffect, useRef, useState, type ReactNode } from "react";

interface SideScrollProps {
  /** What a screen reader calls it. */
  label: string;
  children: ReactNode;
}

export function SideScroll({ label, children }: SideScrollProps) {
  const box = useRef<HTMLDivElement>(null);
  const [wide, setWide] = useState(false);
  useEffect(() => {
    const element = box.current;
    if (!element) return undefined;
    const observer = new ResizeObserver(() => setWide(element.scrollWidth > element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return (
    <Box
      ref={box}
      sx={{ overflowX: "auto", mb: 2 }}
      {...(wide ? { tabIndex: 0, role: "group", "aria-label": `${label}, scrolls sideways` } : {})}
    >
      {children}
    </Box>
  );
}
