/** Scrolling through more rows than a browser can hold. */
export const ROWS_AT_ONCE = 100;

/** Which windows of so many rows a view of some rows needs. */
export function windowsOf(first: number, visible: number, size: number, total: number): number[] {
  if (total === 0) return [0];
  const last = Math.min(first + visible, total - 1);
  const from = Math.floor(Math.max(0, first) / size);
  return Array.from({ length: Math.floor(last / size) - from + 1 }, (_, i) => from + i);
}

/** Browsers stop at some 17 million pixels of height: beyond, a pixel of scrolling is more than a pixel of rows. */
const TALLEST = 8_000_000;

/** The height that stands for so many rows, and the first row shown at a place of scrolling. */
export function scrolling(total: number, rowHeight: number, viewHeight: number) {
  const whole = total * rowHeight;
  const height = Math.min(whole, TALLEST);
  const rows = Math.max(0, total - Math.floor(viewHeight / rowHeight));
  const firstAt = (top: number) =>
    height <= viewHeight ? 0 : Math.min(rows, Math.round((top / (height - viewHeight)) * rows));
  return { height, firstAt };
}
