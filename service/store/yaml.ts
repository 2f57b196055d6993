/**
 * Reads YAML that somebody sent. What would take long, or deep calls, is found by a pass over the tokens beforehand;
 * what is left is read in a time that grows with the length of the text.
 */
import { CST, isMap, isPair, isScalar, isSeq, Lexer, LineCounter, parseAllDocuments, type Document } from 'yaml';
import { MOST_DEPTH } from '@zpine/core/text/depth';
import { MOST_FAULTS } from '@zpine/contract/errors';

interface YamlFault {
  /** Where it stands in the text. */
  offset: number;
  message: string;
}

export interface ReadYaml {
  documents: Document[];
  faults: YamlFault[];
  /** From offsets to lines and columns. */
  lines: LineCounter;
}

/** Keys and items of lists. */
const MOST_ENTRIES = 500_000;
/** Every level that is set off by blanks takes one of them at least. */
const MOST_INDENT = 8 * MOST_DEPTH;

/** `aliases`: as many references to other places of the text may be in it. */
export function readYaml(text: string, { aliases }: { aliases: number }): ReadYaml {
  const lines = new LineCounter();
  const out = (documents: Document[], faults: YamlFault[]): ReadYaml => ({ documents, faults, lines });
  const [stopped, begins] = lookThrough(text, aliases);
  if (stopped) {
    for (const begin of begins) lines.addNewLine(begin);
    return out([], [stopped]);
  }
  const read = parseAllDocuments(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: false });
  const documents = Array.isArray(read) ? (read as Document[]) : [];
  const faults: YamlFault[] = [];
  for (const document of documents) {
    for (const { pos, message } of document.errors.slice(0, MOST_FAULTS))
      faults.push({ offset: pos[0], message: message.split('\n')[0] ?? '' });
    if (document.errors.length === 0) keysTwice(document.contents, faults);
  }
  return out(documents, faults.slice(0, MOST_FAULTS));
}

/** The first thing that goes beyond a bound, and where the lines begin up to there. */
function lookThrough(text: string, aliases: number): [YamlFault | undefined, number[]] {
  const begins = [0];
  let offset = 0;
  let flow = 0;
  let entries = 0;
  let named = 0;
  /** Of lists and keys that begin in this line, one inside the other. */
  let inLine = 0;
  let lineBegins = true;
  for (const token of new Lexer().lex(text)) {
    const type = CST.tokenType(token);
    const stop = (message: string): [YamlFault, number[]] => [{ offset, message }, begins];
    if (type === 'newline') {
      begins.push(offset + token.length);
      [inLine, lineBegins] = [0, true];
    } else if (type === 'space') {
      if (lineBegins && token.length > MOST_INDENT) return stop(`it is set off by more than ${MOST_INDENT} blanks`);
    } else {
      lineBegins = false;
      if (type === 'flow-map-start' || type === 'flow-seq-start') flow += 1;
      else if (type === 'flow-map-end' || type === 'flow-seq-end') flow -= 1;
      else if (type === 'seq-item-ind' || type === 'explicit-key-ind') [inLine, entries] = [inLine + 1, entries + 1];
      else if (type === 'map-value-ind' || type === 'comma') entries += 1;
      else if (type === 'alias') named += 1;
      if (flow > MOST_DEPTH || (flow <= 0 && inLine > MOST_DEPTH))
        return stop(`lists and maps stand more than ${MOST_DEPTH} deep inside each other`);
      if (entries > MOST_ENTRIES) return stop(`it has more than ${MOST_ENTRIES} keys and commas`);
      if (named > aliases)
        return stop(
          aliases === 0
            ? `${token} stands for another place; such references are not used here`
            : `more than ${aliases} references to other places`,
        );
    }
    // Marks that the reader puts between tokens stand nowhere in the text.
    if (!['doc-mode', 'flow-error-end', 'scalar'].includes(type ?? '') || token.length > 1) offset += token.length;
  }
  return [undefined, begins];
}

function keysTwice(node: unknown, faults: YamlFault[]): void {
  if (isSeq(node)) for (const item of node.items) keysTwice(item, faults);
  if (!isMap(node)) return;
  const seen = new Set<unknown>();
  for (const pair of node.items) {
    if (!isPair(pair)) continue;
    const { key, value } = pair;
    if (isScalar(key)) {
      if (seen.has(key.value) && faults.length < MOST_FAULTS)
        faults.push({ offset: key.range?.[0] ?? 0, message: `the key ${String(key.value)} stands here a second time` });
      seen.add(key.value);
    } else keysTwice(key, faults);
    keysTwice(value, faults);
  }
}
