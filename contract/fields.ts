/**
 * The closed table of field types. Everything that is done with a field (stored, filtered, typed, shown) is said
 * here once per type; how it is checked stands beside it in fieldSchemas.ts, which browsers do without. A kind's
 * description only combines them.
 */
import { parseIp, formatIp, toBytes, fromBytes, type Family } from '@zpine/core/addressing/ip';
import { macFromBytes, macToBytes } from '@zpine/core/addressing/mac';
import { formatPrefix, parsePrefix } from '@zpine/core/addressing/prefix';
import { formatNumbers } from '@zpine/core/lists/numbers';
import { labelTerm, macTerms, wordsIn } from '@zpine/core/naming/terms';
import {
  parsePorts,
  parseSlots,
  portsText,
  slotsText,
  type PortGroup,
  type SlotGroup,
} from '@zpine/core/rack/portGroups';
import { mustParse } from '@zpine/core/fault';

/** What a field holds in the API, in images of history and in memory. A reference is a natural key there, an id in store. */
export type Value = string | number | boolean | null | Json[] | { [key: string]: Json };
type Json = Value;

export type FieldTypeName = keyof typeof fieldTypes;

export interface Field {
  type: FieldTypeName;
  title: string;
  about?: string;
  required?: boolean;
  /** Used when nothing is given at creation. */
  default?: Value;
  example?: string;
  unit?: string;
  min?: number;
  max?: number;
  /** No two records of the kind may have the same value. */
  unique?: boolean;
  choices?: readonly string[];
  /** The kind a reference leads to. */
  to?: string;
  /** The record is a part of the one it refers to, and goes with it. */
  part?: boolean;
  /** The record lies in the one it refers to: it goes along where that is removed with what is in it. */
  inside?: boolean;
  /** Where what it refers to is removed with what is in it, the record stays and refers to nothing. */
  letsGo?: boolean;
  /** Worked out by the service; shown, never given. */
  derived?: boolean;
  /** Given when the record is added, and never changed after. */
  fixed?: boolean;
  /** Changed by verbs of its own, never by a plain edit. */
  byVerb?: boolean;
  /** One record's alone: a copy does not take it over. */
  own?: boolean;
  /** Holds lists and maps, which people write as YAML. */
  nested?: boolean;
  /** Shown in capitals, whatever case it is stored in. */
  capitals?: boolean;
}

export interface Column {
  name: string;
  /** As MariaDB writes it in information_schema.COLUMN_TYPE. */
  sql: string;
}

export type Row = Record<string, unknown>;

type InputName =
  | 'line'
  | 'code'
  | 'area'
  | 'source'
  | 'number'
  | 'switch'
  | 'choice'
  | 'record'
  | 'colour'
  | 'json'
  | 'zone'
  | 'day'
  | 'labels'
  | 'groups';

export interface FieldType {
  columns: (column: string, field: Field) => Column[];
  toRow: (column: string, value: Value) => Row;
  fromRow: (column: string, row: Row) => Value;
  /** From a cell or an argument to what its schema takes. */
  fromText: (text: string) => unknown;
  toText: (value: Value) => string;
  /** Which input the console shows. */
  input: InputName;
  /** Whether a list can be narrowed by equality on it. */
  filter: boolean;
  /** The words by which a search finds the record; left out where the natural key is enough, or nobody would look. */
  terms?: (value: Value) => string[];
}

export const snake = (name: string): string => name.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`);

const plain = {
  toRow: (column: string, value: Value): Row => ({ [column]: value }),
  fromRow: (column: string, row: Row): Value => (row[column] ?? null) as Value,
  fromText: (text: string): unknown => text,
  toText: (value: Value): string =>
    value === null ? '' : typeof value === 'object' ? JSON.stringify(value) : String(value),
};

const inText = (value: Value): string[] => (typeof value === 'string' ? wordsIn(value) : []);

const varchar = (max: number) => (column: string, field: Field) => [
  { name: column, sql: `varchar(${field.max ?? max})` },
];

const numberFromText = (text: string): unknown => (/^-?[0-9]+(\.[0-9]+)?$/.test(text.trim()) ? Number(text) : text);

const familyOf = (column: string, row: Row): Family => (row[`${column}_family`] === 6 ? 6 : 4);

export const fieldTypes = {
  /** A part of a natural key: lower case, `a-z 0-9 . _ -`. */
  name: {
    ...plain,
    columns: varchar(63),
    input: 'code',
    filter: true,
    terms: inText,
  },
  /** The name of an interface, as the device writes it. */
  portName: {
    ...plain,
    columns: varchar(63),
    input: 'code',
    filter: true,
  },
  text: { ...plain, columns: varchar(200), input: 'line', filter: true, terms: inText },
  /** Text that an engineer reads letter by letter: serials, asset numbers. Blanks at its ends are dropped. */
  code: { ...plain, columns: varchar(100), input: 'code', filter: true, terms: inText },
  note: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'text' }],
    input: 'area',
    filter: false,
    terms: inText,
  },
  /** A text of many lines that is kept letter for letter: templates. */
  source: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'longtext' }],
    input: 'source',
    filter: false,
  },
  int: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'int(11)' }],
    fromText: numberFromText,
    input: 'number',
    filter: true,
  },
  bool: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'tinyint(1)' }],
    toRow: (column, value) => ({ [column]: value === null ? null : value ? 1 : 0 }),
    fromRow: (column, row) => (row[column] === null || row[column] === undefined ? null : Boolean(row[column])),
    fromText: (text) => ({ yes: true, true: true, no: false, false: false })[text.trim().toLowerCase()] ?? text,
    toText: (value) => (value === null ? '' : value ? 'yes' : 'no'),
    input: 'switch',
    filter: true,
  },
  choice: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'varchar(30)' }],
    fromText: (text) => text.trim().toLowerCase(),
    input: 'choice',
    filter: true,
  },
  /** Another record, by natural key or `#id`. Here it is text; the service finds the record. */
  ref: {
    ...plain,
    columns: (column) => [{ name: `${column}_id`, sql: 'bigint(20)' }],
    toRow: (column, value) => ({ [`${column}_id`]: value }),
    fromRow: (column, row) => (row[`${column}_id`] ?? null) as Value,
    input: 'record',
    filter: true,
  },
  mac: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'binary(6)' }],
    toRow: (column, value) => ({ [column]: value === null ? null : macToBytes(value as string) }),
    fromRow: (column, row) => (row[column] ? macFromBytes(row[column] as Uint8Array) : null),
    input: 'code',
    filter: true,
    terms: (value) => (typeof value === 'string' ? macTerms(value) : []),
  },
  ip: {
    ...plain,
    columns: (column) => [
      { name: column, sql: 'binary(16)' },
      { name: `${column}_family`, sql: 'tinyint(4)' },
    ],
    toRow: (column, value) => {
      if (value === null) return { [column]: null, [`${column}_family`]: null };
      const ip = mustParse(parseIp(value as string));
      return { [column]: toBytes(ip), [`${column}_family`]: ip.family };
    },
    fromRow: (column, row) =>
      row[column] ? formatIp(fromBytes(row[column] as Uint8Array, familyOf(column, row))) : null,
    input: 'code',
    filter: true,
  },
  cidr: {
    ...plain,
    columns: (column) => [
      { name: column, sql: 'binary(16)' },
      { name: `${column}_family`, sql: 'tinyint(4)' },
      { name: `${column}_length`, sql: 'smallint(6)' },
    ],
    toRow: (column, value) => {
      const p = mustParse(parsePrefix(value as string));
      return {
        [column]: toBytes({ family: p.family, value: p.first }),
        [`${column}_family`]: p.family,
        [`${column}_length`]: p.length,
      };
    },
    fromRow: (column, row) => {
      const { family, value } = fromBytes(row[column] as Uint8Array, familyOf(column, row));
      return formatPrefix({ family, first: value, length: Number(row[`${column}_length`]) });
    },
    input: 'code',
    filter: true,
  },
  /** Stretches of addresses: `10.77.16.200-10.77.16.239, 10.77.16.250`. */
  ranges: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'text' }],
    input: 'code',
    filter: false,
  },
  colour: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'char(7)' }],
    input: 'colour',
    filter: false,
  },
  /** A time zone by its name in the tz database. */
  zone: {
    ...plain,
    columns: varchar(60),
    input: 'zone',
    filter: true,
  },
  /** A day, as ISO 8601 has it: 2027-03-31. */
  day: {
    ...plain,
    columns: varchar(10),
    input: 'day',
    filter: true,
  },
  /** Free words, in the order of the alphabet. */
  labels: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'varchar(1000)' }],
    toRow: (column, value) => ({ [column]: Array.isArray(value) && value.length > 0 ? value.join(',') : null }),
    fromRow: (column, row) => (typeof row[column] === 'string' ? row[column].split(',') : null),
    toText: (value) => (Array.isArray(value) ? value.join(', ') : ''),
    input: 'labels',
    filter: true,
    terms: (value) => (Array.isArray(value) ? value.map(String).flatMap((label) => [label, labelTerm(label)]) : []),
  },
  /** Whole numbers: VLANs of a trunk. */
  numbers: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'text' }],
    toRow: (column, value) => ({ [column]: Array.isArray(value) && value.length > 0 ? value.join(',') : null }),
    fromRow: (column, row) => (typeof row[column] === 'string' ? row[column].split(',').map(Number) : null),
    toText: (value) => (Array.isArray(value) ? formatNumbers(value.map(Number)) : ''),
    input: 'code',
    filter: true,
  },
  /** Ports by pattern: `1/{1..24} 1000base-t; con console`. */
  ports: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'text' }],
    toRow: (column, value) => ({ [column]: Array.isArray(value) ? portsText(value as PortGroup[]) : null }),
    fromRow: (column, row) => (typeof row[column] === 'string' ? mustParse(parsePorts(row[column])) : null),
    toText: (value) => (Array.isArray(value) ? portsText(value as PortGroup[]) : ''),
    input: 'groups',
    filter: false,
  },
  /** Slots by pattern, and the form of cards that go in: `{1..4} c4-card`. */
  slots: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'text' }],
    toRow: (column, value) => ({ [column]: Array.isArray(value) ? slotsText(value as SlotGroup[]) : null }),
    fromRow: (column, row) => (typeof row[column] === 'string' ? mustParse(parseSlots(row[column])) : null),
    toText: (value) => (Array.isArray(value) ? slotsText(value as SlotGroup[]) : ''),
    input: 'groups',
    filter: false,
  },
  /** A value of any type, as JSON. */
  json: {
    ...plain,
    columns: (column) => [{ name: column, sql: 'longtext' }],
    toRow: (column, value) => ({ [column]: value === null ? null : JSON.stringify(value) }),
    fromRow: (column, row) => {
      const held = row[column];
      return (typeof held === 'string' ? JSON.parse(held) : (held ?? null)) as Value;
    },
    fromText: (text) => {
      try {
        return JSON.parse(text) as unknown;
      } catch {
        return text;
      }
    },
    input: 'json',
    filter: false,
  },
} as const satisfies Record<string, FieldType>;

export const typeOf = (field: Field): FieldType => fieldTypes[field.type];
