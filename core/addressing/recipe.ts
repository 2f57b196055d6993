/** A site plan: the steps by which a site gets its blocks, VLANs, prefixes, loopbacks and links. */
import type { Fault } from '../fault.ts';
import { nearest, parseKeyPart, parsePortName } from '../naming/names.ts';
import { carveWays, type CarveWay } from './carve.ts';
import { parseHandOut } from './handOut.ts';
import { bitsOf, type Family } from './ip.ts';
import { rangesAt } from './offsets.ts';
import { parsePrefix, type Prefix } from './prefix.ts';

/** A block of the site's own, out of a larger prefix; later steps call it by its name. */
export interface BlockStep {
  block: string;
  size: number;
  from: string;
  /** The block whose network it has, in another VRF; null for the next free one. */
  like: string | null;
  way: CarveWay;
  use: string | null;
  description: string | null;
}

export interface PlannedPrefix {
  /** The name of a block of the plan. */
  in: string;
  size: number;
  /** The how-manieth of this size in its block, counted from 0; null for the next free one. */
  nth: number | null;
  gateway: 'first' | 'last' | null;
  heldBack: string | null;
  pool: string | null;
  quarantine: string | null;
  handOut: string | null;
  description: string | null;
}

export interface VlanStep {
  vlan: number;
  title: string | null;
  use: string | null;
  prefixes: PlannedPrefix[];
}

/** An interface on every device of a duty, with an address out of a prefix. */
export interface LoopbackStep {
  loopback: string;
  for: string;
  from: string;
}

/** A block of two on every cable between two devices of a duty, if one of them is at the site. */
export interface LinkStep {
  links: string;
  from: string;
}

export type RecipeStep = BlockStep | VlanStep | LoopbackStep | LinkStep;

export type RecipeFault = Fault & { path: (string | number)[] };

type Fields = Record<string, unknown>;

const MOST_STEPS = 200;

const fieldsOf = {
  block: ['block', 'size', 'from', 'like', 'way', 'use', 'description'],
  vlan: ['vlan', 'title', 'use', 'prefixes'],
  loopback: ['loopback', 'for', 'from'],
  links: ['links', 'from'],
} as const;
type StepKind = keyof typeof fieldsOf;
const kindNames = Object.keys(fieldsOf) as StepKind[];

const prefixFields = [
  'in',
  'size',
  'nth',
  'gateway',
  'heldBack',
  'pool',
  'quarantine',
  'handOut',
  'description',
] as const;

/** Reads the steps of a plan; every fault is told with its place. */
export function readRecipe(given: unknown): { steps: RecipeStep[]; faults: RecipeFault[] } {
  const reader = new Reader();
  const steps = reader.list(given, []).flatMap((one, i) => reader.step(one, [i]) ?? []);
  return { steps, faults: reader.faults };
}

type Path = (string | number)[];

class Reader {
  readonly faults: RecipeFault[] = [];
  /** The blocks that steps before have made. */
  private readonly blocks = new Map<string, { family: Family; size: number }>();

  fault(path: Path, code: string, params: Fault['params'] = {}): undefined {
    this.faults.push({ path, code, params });
    return undefined;
  }

  list(given: unknown, path: Path): unknown[] {
    if (Array.isArray(given) && given.length > 0 && given.length <= MOST_STEPS) return given as unknown[];
    this.fault(path, 'recipe-list', { max: MOST_STEPS });
    return [];
  }

  step(given: unknown, path: Path): RecipeStep | undefined {
    const fields = this.object(given, path);
    if (!fields) return undefined;
    const kinds = kindNames.filter((name) => name in fields);
    const [kind] = kinds;
    if (!kind || kinds.length > 1) return this.fault(path, 'recipe-step', { kinds: kindNames.join(', ') });
    this.onlyKnown(fields, fieldsOf[kind], path);
    switch (kind) {
      case 'block':
        return this.block(fields, path);
      case 'vlan':
        return this.vlan(fields, path);
      case 'loopback':
        return this.loopback(fields, path);
      case 'links':
        return this.links(fields, path);
    }
  }

  private block(fields: Fields, path: Path): BlockStep | undefined {
    const block = this.word(fields, 'block', path);
    const source = this.source(fields, path);
    const like = this.optionalWord(fields, 'like', path);
    const model = like === null ? undefined : this.blocks.get(like);
    if (like !== null && !model) return this.fault([...path, 'like'], 'recipe-block', { block: like });
    const size = model?.size ?? this.size(fields, path, source);
    const way = fields.way ?? 'first';
    if (!isOneOf(carveWays, way))
      return this.fault([...path, 'way'], 'recipe-choice', { choices: carveWays.join(', ') });
    if (block === undefined || !source) return undefined;
    if (this.blocks.has(block)) return this.fault([...path, 'block'], 'recipe-block-twice', { block });
    // One of a wrong size is known all the same: steps that use it have no fault of their own.
    this.blocks.set(block, { family: source.prefix.family, size: size ?? source.prefix.length });
    if (size === undefined) return undefined;
    const use = this.optionalWord(fields, 'use', path);
    return { block, size, from: source.text, like, way, use, description: this.text(fields, 'description', path) };
  }

  private vlan(fields: Fields, path: Path): VlanStep | undefined {
    const { vlan } = fields;
    if (!isWhole(vlan) || vlan < 1 || vlan > 4094)
      return this.fault([...path, 'vlan'], 'recipe-number', { min: 1, max: 4094 });
    const title = this.text(fields, 'title', path);
    const use = this.optionalWord(fields, 'use', path);
    const listed = fields.prefixes === undefined ? [] : this.list(fields.prefixes, [...path, 'prefixes']);
    const prefixes = listed.flatMap((one, i) => this.prefix(one, [...path, 'prefixes', i]) ?? []);
    return { vlan, title, use, prefixes };
  }

  private prefix(given: unknown, path: Path): PlannedPrefix | undefined {
    const fields = this.object(given, path);
    if (!fields) return undefined;
    this.onlyKnown(fields, prefixFields, path);
    const name = this.word(fields, 'in', path);
    if (name === undefined) return undefined;
    const block = this.blocks.get(name);
    if (!block) {
      const meant = nearest(name, this.blocks.keys());
      return this.fault([...path, 'in'], 'recipe-block', { block: name, ...(meant ? { meant } : {}) });
    }
    const size = this.size(fields, path, { prefix: { family: block.family, first: 0n, length: block.size } });
    if (size === undefined) return undefined;
    const most = size - block.size > 30 ? Number.MAX_SAFE_INTEGER : 2 ** (size - block.size) - 1;
    const nth = fields.nth ?? null;
    if (nth !== null && (!isWhole(nth) || nth < 0 || nth > most))
      return this.fault([...path, 'nth'], 'recipe-number', { min: 0, max: most });
    const gateway = fields.gateway ?? null;
    if (gateway !== null && !isOneOf(['first', 'last'] as const, gateway))
      return this.fault([...path, 'gateway'], 'recipe-choice', { choices: 'first, last' });
    const shape: Prefix = { family: block.family, first: 0n, length: size };
    const ranges = (field: 'heldBack' | 'pool' | 'quarantine') => {
      const text = this.text(fields, field, path);
      const read = text === null ? undefined : rangesAt(shape, text);
      if (read && !read.ok) this.fault([...path, field], read.fault.code, read.fault.params);
      return text;
    };
    const handOut = this.text(fields, 'handOut', path);
    const rules = handOut === null ? undefined : parseHandOut(handOut);
    if (rules && !rules.ok) this.fault([...path, 'handOut'], rules.fault.code, rules.fault.params);
    return {
      in: name,
      size,
      nth,
      gateway,
      heldBack: ranges('heldBack'),
      pool: ranges('pool'),
      quarantine: ranges('quarantine'),
      handOut,
      description: this.text(fields, 'description', path),
    };
  }

  private loopback(fields: Fields, path: Path): LoopbackStep | undefined {
    const name = parsePortName(typeof fields.loopback === 'string' ? fields.loopback : '');
    if (!name.ok) return this.fault([...path, 'loopback'], name.fault.code, name.fault.params);
    const duty = this.word(fields, 'for', path);
    const source = this.source(fields, path);
    return duty === undefined || !source ? undefined : { loopback: name.value, for: duty, from: source.text };
  }

  private links(fields: Fields, path: Path): LinkStep | undefined {
    const duty = this.word(fields, 'links', path);
    const source = this.source(fields, path);
    return duty === undefined || !source ? undefined : { links: duty, from: source.text };
  }

  /** A prefix of the records: `10.77.0.0/16`, `10.77.0.0/16@wireless` in another VRF. */
  private source(fields: Fields, path: Path): { text: string; prefix: Prefix } | undefined {
    const { from } = fields;
    const text = typeof from === 'string' ? from.trim() : '';
    const read = parsePrefix(text.split('@')[0] ?? '');
    if (!read.ok) return this.fault([...path, 'from'], read.fault.code, read.fault.params);
    return { text, prefix: read.value };
  }

  /** A length: 24, or `/24`. */
  private size(fields: Fields, path: Path, within: { prefix: Prefix } | undefined): number | undefined {
    const given = typeof fields.size === 'string' ? Number(fields.size.replace(/^\//, '') || Number.NaN) : fields.size;
    const min = (within?.prefix.length ?? 0) + 1;
    const max = within ? bitsOf(within.prefix.family) : 128;
    return isWhole(given) && given >= min && given <= max
      ? given
      : this.fault([...path, 'size'], 'recipe-number', { min, max });
  }

  private object(given: unknown, path: Path): Fields | undefined {
    if (typeof given === 'object' && given !== null && !Array.isArray(given)) return given as Fields;
    return this.fault(path, 'recipe-step', { kinds: kindNames.join(', ') });
  }

  private onlyKnown(fields: Fields, known: readonly string[], path: Path): void {
    for (const name of Object.keys(fields)) {
      if (known.includes(name)) continue;
      const meant = nearest(name, known);
      this.fault([...path, name], 'recipe-field', { name, known: known.join(', '), ...(meant ? { meant } : {}) });
    }
  }

  private word(fields: Fields, name: string, path: Path): string | undefined {
    const given = fields[name];
    const read = parseKeyPart(typeof given === 'string' ? given : '');
    return read.ok ? read.value : this.fault([...path, name], read.fault.code, read.fault.params);
  }

  private optionalWord = (fields: Fields, name: string, path: Path): string | null =>
    (fields[name] ?? null) === null ? null : (this.word(fields, name, path) ?? null);

  private text(fields: Fields, name: string, path: Path): string | null {
    const given = fields[name] ?? null;
    if (given === null || (typeof given === 'string' && given.length <= 200)) return given;
    this.fault([...path, name], 'recipe-text', { name });
    return null;
  }
}

const isWhole = (value: unknown): value is number => typeof value === 'number' && Number.isInteger(value);
const isOneOf = <T extends string>(choices: readonly T[], value: unknown): value is T =>
  (choices as readonly unknown[]).includes(value);
