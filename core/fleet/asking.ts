/** One thing that devices are asked, and how it is called. */
export interface Ask {
  command?: string | undefined;
  question?: string | undefined;
  /** What stands in the blanks of the question. */
  blanks?: Readonly<Record<string, string>> | undefined;
  /** A pattern for the rows of a command's answer. */
  rows?: string | undefined;
  /** A part of what runs, by the beginning of a line. */
  part?: string | undefined;
  /** Of what runs, or of that part: lines that fit a pattern. */
  lines?: string | undefined;
}

/** `route address=10.77.0.4`, `tell clock`, `part lane 304`, `lines ^way`. */
export function askName({ command, question, blanks = {}, part, lines }: Ask): string {
  if (question !== undefined)
    return [question, ...Object.entries(blanks).map(([name, value]) => `${name}=${value}`)].join(' ');
  if (command !== undefined) return command;
  return [part === undefined ? '' : `part ${part}`, lines === undefined ? '' : `lines ${lines}`]
    .filter(Boolean)
    .join(' ');
}
