/** What a report can be written in and printed on, each in words. */
const NAMES = new Intl.DisplayNames(["en"], { type: "language" });

export const PAPERS = [
  ["a4", "A4"],
  ["letter", "Letter"],
] as const;

/** Whose numbers and dates. */
export const LANGUAGES = (
  ["en", "cs", "da", "de", "es", "fi", "fr", "hu", "it", "nb", "nl", "pl", "pt", "sv"] as const
).map((one) => [one, `as in ${NAMES.of(one) ?? one}`] as const);

export const languageWords = (language: string): string => LANGUAGES.find(([one]) => one === language)?.[1] ?? language;
