/** Dialect sheets: those that ship, those of the records; read once, kept compiled as long as their text stays the same. */
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { isMap, isNode, isPair, isSeq, type Document } from 'yaml';
import { dialectFrom, type Dialect } from '@zpine/core/dialect/dialect';
import { dialectSheet, togetherFaults, type DialectSheet } from '@zpine/core/dialect/sheet';
import { nearest } from '@zpine/core/naming/names';
import { MOST_FAULTS } from '@zpine/contract/errors';
import { readYaml } from './yaml.ts';

export interface PlacedFault {
  line: number;
  column: number;
  /** `questions.arp.rows`. */
  place: string;
  message: string;
}

const folder = [new URL('../dialects', import.meta.url), new URL('../../dialects', import.meta.url)];
/** As many sheets are held compiled. */
const MOST = 200;

export class Dialects {
  readonly shipped: ReadonlyMap<string, string>;
  private readonly compiled = new Map<string, Dialect>();

  constructor() {
    this.shipped = readShipped();
  }

  /** By the text of a sheet, or the one that ships under this name. Undefined where nothing is known of it. */
  of(name: string, text: string | null): Dialect | undefined {
    const source = text ?? this.shipped.get(name);
    if (source === undefined) return undefined;
    const key = `${name}\n${source}`;
    const known = this.compiled.get(key);
    if (known) return known;
    const { sheet } = readSheet(source);
    if (!sheet) return undefined;
    if (this.compiled.size >= MOST) this.compiled.clear();
    const dialect = dialectFrom(name, sheet);
    this.compiled.set(key, dialect);
    return dialect;
  }
}

/** Beside the program, as it is delivered; one level further up when it runs from its sources. */
function readShipped(): Map<string, string> {
  for (const place of folder) {
    const path = fileURLToPath(place);
    let names: string[];
    try {
      names = readdirSync(path);
    } catch {
      continue;
    }
    return new Map(
      names
        .filter((name) => name.endsWith('.yaml'))
        .sort()
        .map((name) => [name.slice(0, -'.yaml'.length), readFileSync(join(path, name), 'utf8')]),
    );
  }
  throw new Error(`the dialect sheets are missing beside ${dirname(fileURLToPath(import.meta.url))}`);
}

/** Reads a sheet; every fault has its line and column. */
export function readSheet(text: string): { sheet: DialectSheet | undefined; faults: PlacedFault[] } {
  const { documents, faults: broken, lines } = readYaml(text, { aliases: 0 });
  const placed = (offset: number, place: string, message: string): PlacedFault => {
    const { line, col } = lines.linePos(offset);
    return { line: Math.max(1, line), column: Math.max(1, col), place, message };
  };
  if (broken.length > 0)
    return { sheet: undefined, faults: broken.map(({ offset, message }) => placed(offset, '', message)) };
  const [document, second] = documents;
  if (second) return { sheet: undefined, faults: [placed(second.range?.[0] ?? 0, '', 'a sheet is one document')] };
  const value: unknown = document?.toJS();
  if (!document || typeof value !== 'object' || value === null || Array.isArray(value))
    return { sheet: undefined, faults: [placed(0, '', 'a sheet holds names and values, beginning with title')] };
  const at = (path: readonly PropertyKey[], message: string, onKey = false): PlacedFault =>
    placed(offsetOf(document, path, onKey), path.map(String).join('.'), message);
  const read = dialectSheet.safeParse(value);
  if (!read.success) {
    const faults = read.error.issues.slice(0, MOST_FAULTS).flatMap((issue) => {
      if (issue.code === 'unrecognized_keys')
        return issue.keys
          .slice(0, MOST_FAULTS)
          .map((key) => at([...issue.path, key], unknownKey(key, knownAt(issue.path)), true));
      if (issue.code === 'invalid_union') {
        const [first] = issue.errors.flat();
        return [at(issue.path, first?.message ?? issue.message)];
      }
      return [at(issue.path, wordsOf(issue.message))];
    });
    faults.sort((a, b) => a.line - b.line || a.column - b.column);
    return { sheet: undefined, faults };
  }
  const faults = togetherFaults(read.data).map(({ path, message }) => at(path, message));
  return { sheet: faults.length === 0 ? read.data : undefined, faults };
}

const wordsOf = (message: string): string =>
  message
    .replace(/^Invalid input: expected (\w+), received undefined$/, 'it is missing; a $1 is expected')
    .replace(/^Invalid input: expected (\w+), received (\w+)$/, 'a $1 is expected, not a $2')
    .replace(
      /^Invalid option: expected one of (.*)$/,
      (_, list: string) => `one of ${list.replaceAll('|', ', ')} is expected`,
    );

function knownAt(path: readonly PropertyKey[]): string[] {
  let schema: unknown = dialectSheet;
  for (const step of path) {
    const inner = unwrapped(schema);
    const shape = (inner as { shape?: Record<string, unknown> }).shape;
    const held = inner as { element?: unknown; valueType?: unknown };
    schema = shape?.[String(step)] ?? held.element ?? held.valueType;
  }
  return Object.keys((unwrapped(schema) as { shape?: object } | undefined)?.shape ?? {});
}

/** What stands behind a default or what may be left out. */
function unwrapped(schema: unknown): unknown {
  let inner = schema as { def?: { innerType?: unknown } } | undefined;
  while (inner?.def?.innerType) inner = inner.def.innerType;
  return inner;
}

const unknownKey = (key: string, known: string[]): string => {
  const close = nearest(key, known);
  const meant =
    close === undefined ? (known.length > 0 ? `; there are ${known.join(', ')}` : '') : `; did you mean ${close}?`;
  return `unknown key "${key}"${meant}`;
};

/** Where the value of a path stands, or the nearest that is written around it. */
function offsetOf(document: Document, path: readonly PropertyKey[], onKey: boolean): number {
  let node: unknown = document.contents;
  let offset = 0;
  for (const step of path) {
    if (isMap(node)) {
      const pair = node.items.find(
        (item) => isPair(item) && String((item.key as { value?: unknown }).value) === String(step),
      );
      if (!pair) return offset;
      if (isNode(pair.key) && pair.key.range) [offset] = pair.key.range;
      node = pair.value;
    } else if (isSeq(node)) {
      node = node.items[Number(step)];
      if (isNode(node) && node.range) [offset] = node.range;
    } else return offset;
  }
  if (!onKey && isNode(node) && node.range && !isMap(node) && !isSeq(node)) [offset] = node.range;
  return offset;
}
