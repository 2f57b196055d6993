/** Cuts lines that people paste into cells: from a spreadsheet, a list with commas, a file with blanks. */

/** The sign that separates cells, by the whole text: tabs before semicolons before commas before bars; else blanks. */
export function separatorOf(lines: readonly string[]): string | null {
  const counts = ['\t', ';', ',', '|'].map(
    (sign) => [sign, lines.filter((line) => line.includes(sign)).length] as const,
  );
  const [most] = [...counts].sort((a, b) => b[1] - a[1]);
  return most && most[1] > 0 ? most[0] : null;
}

export const cellsOf = (line: string, separator: string | null): string[] =>
  (separator === null ? line.trim().split(/\s+/) : line.split(separator)).map((cell) =>
    cell
      .trim()
      .replace(/^"(.*)"$/, '$1')
      .trim(),
  );

export interface Line {
  /** From 1, as an editor counts. */
  line: number;
  text: string;
  /** What stood behind a `#`. */
  comment: string | null;
}

/** Lines with something in them. */
export const linesOf = (text: string): Line[] =>
  text
    .replace(/^\uFEFF/, '')
    .split(/\r\n|\r|\n/)
    .map((full, i) => {
      const at = full.search(/(^|\s)#/);
      const comment =
        at < 0
          ? null
          : full
              .slice(at)
              .replace(/^\s*#+\s*/, '')
              .trim() || null;
      return { line: i + 1, text: (at < 0 ? full : full.slice(0, at)).trimEnd(), comment };
    })
    .filter(({ text: held }) => held.trim() !== '');
