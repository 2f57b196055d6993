/** What a barcode reader types, as boxes: one scan a line, or a table of model, serial and MAC in any order. */
import { parseMac } from '../addressing/mac.ts';
import { cellsOf, linesOf, separatorOf } from './cells.ts';

export interface ScannedBox {
  /** Where its first scan stands. */
  line: number;
  serial: string | null;
  mac: string | null;
  model: string | null;
  /** The device that it is for. */
  device: string | null;
}

export interface ScanFault {
  line: number;
  code: 'scan-row' | 'scan-mac-twice';
  value: string;
}

type What = 'serial' | 'mac' | 'model' | 'device';

/** What is known already: gives the key of the record that a text means. */
export interface Known {
  model: (text: string) => string | undefined;
  device: (text: string) => string | undefined;
}

const heads: Record<string, What> = {
  serial: 'serial',
  serialnumber: 'serial',
  serialno: 'serial',
  sn: 'serial',
  mac: 'mac',
  macaddress: 'mac',
  basemac: 'mac',
  model: 'model',
  type: 'model',
  part: 'model',
  partnumber: 'model',
  pn: 'model',
  device: 'device',
  name: 'device',
  for: 'device',
};
const headOf = (cell: string): What | undefined => heads[cell.toLowerCase().replace(/[^a-z]/g, '')];

/** Stickers say what they carry: `S/N: LF24-0188-01`, `MAC 0000.5e00.53a1`. */
const told =
  /^(s\/?n|serial(?: (?:no|number))?|mac(?: address)?|model|p\/?n|part(?: (?:no|number))?)\s*[:#=]\s*|^(s\/?n|mac)\s+/i;

interface Scan {
  what: What;
  value: string;
}

function classify(cell: string, known: Known): Scan | undefined {
  const hint = told.exec(cell)?.[0];
  const text = hint === undefined ? cell : cell.slice(hint.length).trim();
  const mac = parseMac(text);
  if (mac.ok) return { what: 'mac', value: mac.value };
  const model = known.model(text);
  if (model !== undefined) return { what: 'model', value: model };
  const device = known.device(text);
  if (device !== undefined) return { what: 'device', value: device };
  // A serial has no blanks, and some digit.
  return /^[\x21-\x7e]{2,100}$/.test(text) && /[0-9]/.test(text) ? { what: 'serial', value: text } : undefined;
}

const empty = (line: number): ScannedBox => ({ line, serial: null, mac: null, model: null, device: null });

export function readScans(text: string, known: Known): { boxes: ScannedBox[]; faults: ScanFault[] } {
  const lines = linesOf(text);
  const separator = separatorOf(lines.map((line) => line.text));
  // A row of a table may also have blanks between its cells: then a MAC and something else stand in one line.
  const blanks = separator === null && lines.some(({ text: one }) => severalIn(one, known));
  const read = separator !== null || blanks ? asTable(lines, separator, known) : asStream(lines, known);
  const named = read.boxes.filter((box) => box.serial !== null).length;
  if (named > 0) {
    // Among boxes with serials, one without has lost its scan.
    for (const box of read.boxes)
      if (box.serial === null)
        read.faults.push({ line: box.line, code: 'scan-mac-twice', value: box.mac ?? box.model ?? '' });
    return { ...read, boxes: read.boxes.filter((box) => box.serial !== null) };
  }
  // Only MACs: they tell their serials when they boot.
  return { boxes: read.boxes.filter((box) => box.mac !== null), faults: read.faults };
}

const severalIn = (line: string, known: Known): boolean => {
  if (parseMac(line).ok || told.test(line.trim())) return false;
  const cells = line.trim().split(/\s+/);
  return cells.length > 1 && cells.some((cell) => parseMac(cell).ok || known.model(cell) !== undefined);
};

function asTable(
  lines: ReturnType<typeof linesOf>,
  separator: string | null,
  known: Known,
): { boxes: ScannedBox[]; faults: ScanFault[] } {
  const boxes: ScannedBox[] = [];
  const faults: ScanFault[] = [];
  const first = cellsOf(lines[0]?.text ?? '', separator).map(headOf);
  const columns = first.every((what) => what !== undefined) ? first : undefined;
  for (const { line, text } of columns ? lines.slice(1) : lines) {
    const box = empty(line);
    for (const [i, cell] of cellsOf(text, separator).entries()) {
      if (cell === '') continue;
      const scan = classify(cell, known);
      const what = columns?.[i] ?? scan?.what;
      // A column that is said to be of MACs has nothing else in it; other texts are taken as they stand.
      const sound = what !== undefined && (what !== 'mac' || scan?.what === 'mac') && box[what] === null;
      if (!sound) faults.push({ line, code: 'scan-row', value: cell });
      else box[what] = scan?.what === what ? scan.value : cell;
    }
    if (box.serial !== null || box.mac !== null) boxes.push(box);
    else if (!faults.some((fault) => fault.line === line)) faults.push({ line, code: 'scan-row', value: text.trim() });
  }
  return { boxes, faults };
}

function asStream(lines: ReturnType<typeof linesOf>, known: Known): { boxes: ScannedBox[]; faults: ScanFault[] } {
  const boxes: ScannedBox[] = [];
  const faults: ScanFault[] = [];
  let box: ScannedBox | undefined;
  let last: Scan | undefined;
  let modelFirst: boolean | undefined;
  let model: string | null = null;
  for (const { line, text } of lines) {
    const scan = classify(text.trim(), known);
    if (!scan) {
      faults.push({ line, code: 'scan-row', value: text.trim() });
      continue;
    }
    // Readers beep twice: the same scan again says nothing new.
    if (last && last.what === scan.what && last.value === scan.value) continue;
    last = scan;
    modelFirst ??= scan.what === 'model';
    if (scan.what === 'model' && modelFirst) {
      // It holds for the boxes that follow, until another one is scanned.
      model = scan.value;
      box = undefined;
      continue;
    }
    if (box?.[scan.what] === scan.value) continue;
    if (!box || box[scan.what] !== null) boxes.push((box = { ...empty(line), model }));
    box[scan.what] = scan.value;
  }
  return { boxes, faults };
}
