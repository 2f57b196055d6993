/** Runs a compiled template over data. */
import type { Compiled } from './compile.ts';
import { type RenderedFile, type RenderInput, Run } from './run.ts';

/** The files of an edition: the main one first. Throws TemplateStop at the first fault. */
export function render(template: Compiled, input: RenderInput): RenderedFile[] {
  const run = new Run(input);
  template.run(run, []);
  return run.result();
}

export const SECRET_MASK = '••••••';

/** The text with its secrets masked. */
export function maskedText(file: Pick<RenderedFile, 'text' | 'secrets'>): string {
  let out = '';
  let at = 0;
  for (const [from, to] of file.secrets) {
    out += file.text.slice(at, from) + SECRET_MASK;
    at = to;
  }
  return out + file.text.slice(at);
}
