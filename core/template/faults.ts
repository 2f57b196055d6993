/** What can be wrong with a template, where, and in which words. */
export interface TemplateFault {
  code: string;
  message: string;
  /** What to do about it, where something can be said. */
  hint?: string;
  template: string;
  /** From 1. */
  line: number;
  /** From 1. */
  column: number;
  source: string;
}

export interface SourcePlace {
  template: string;
  line: number;
  column: number;
  source: string;
}

/** Thrown while rendering, which stops at the first. Checking gathers instead. */
export class TemplateStop extends Error {
  readonly fault: TemplateFault;
  constructor(fault: TemplateFault) {
    super(`${fault.template}:${fault.line}:${fault.column}: ${fault.message}`);
    this.name = 'TemplateStop';
    this.fault = fault;
  }
}

export const faultAt = (place: SourcePlace, code: string, message: string, hint?: string): TemplateFault => ({
  code,
  message,
  ...(hint === undefined ? {} : { hint }),
  template: place.template,
  line: place.line,
  column: place.column,
  source: place.source,
});

/** The fault as people read it: file, line, column, the line itself and a caret. */
export function faultText(fault: TemplateFault): string {
  const number = String(fault.line);
  // A tab stays a tab in the line of the caret, so that it stands where the fault does.
  const before = fault.source.slice(0, fault.column - 1).replace(/[^\t]/g, ' ');
  return [
    `${fault.template}:${fault.line}:${fault.column}: ${fault.message}${fault.hint ? `; ${fault.hint}` : ''}`,
    `  ${number} | ${fault.source}`,
    `  ${' '.repeat(number.length)} | ${before}^`,
  ].join('\n');
}
