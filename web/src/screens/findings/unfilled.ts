/** The fields in texts that nobody has filled in yet: `{district}`. */
export function unfilled(...texts: string[]): string[] {
  return [...new Set(texts.flatMap((text) => text.match(/\{[A-Za-z_]\w*\}/g) ?? []))];
}
