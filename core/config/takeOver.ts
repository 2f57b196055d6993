/**
 * What a difference would mean for the records: the lines of a template read backwards. Where a line of the device fits a line
 * of the template, what stands in the place of an expression is the value that would have made it. It is only a proposal:
 * whoever takes it over renders again, and looks whether the difference is gone.
 */
import type { Expr, Node, Template } from '../template/ast.ts';
import type { Difference } from './compare.ts';

export type Meant =
  | { of: 'setting'; name: string; how: 'set' | 'add' | 'take away'; value: string }
  | { of: 'interface'; name: string; field: string; value: string | boolean | string[] | null }
  | { of: 'vlan'; number: number; title: string | null };

export interface Templates {
  main: Template;
  fragments: ReadonlyMap<string, Template>;
}

/** A line of text in a template, with the part and the loops that it stands in. */
interface TemplateLine {
  part: string;
  parts: readonly (string | Expr)[];
  loops: readonly Loop[];
}
type Loop = Extract<Node, { kind: 'for' }>;
type Binding = { expr: Expr; text: string };

/** What each difference would mean, by its place in the list; those that mean nothing are left out. */
export function meantBy(differences: readonly Difference[], templates: Templates): Map<number, Meant[]> {
  const reading = new Reading(templates);
  const out = new Map<number, Meant[]>();
  for (const [i, difference] of differences.entries()) {
    const meant = reading.meant(difference);
    if (meant && meant.length > 0) out.set(i, meant);
  }
  return out;
}

const MOST_NESTED = 8;

class Reading {
  private readonly lines: TemplateLine[] = [];

  constructor({ main, fragments }: Templates) {
    const walk = (nodes: readonly Node[], part: string, loops: readonly Loop[], depth: number): void => {
      for (const node of nodes) {
        if (node.kind === 'line') this.lines.push({ part, parts: node.parts, loops });
        else if (node.kind === 'part') walk(node.body, node.name, loops, depth);
        else if (node.kind === 'for') walk(node.body, part, [...loops, node], depth);
        else if (node.kind === 'if')
          for (const body of [...node.arms.map((arm) => arm.body), node.otherwise]) walk(body, part, loops, depth);
        else if (node.kind === 'insert' && depth < MOST_NESTED)
          walk(fragments.get(node.name)?.body ?? [], part, loops, depth + 1);
      }
    };
    walk(main.body, '', [], 0);
  }

  meant(difference: Difference): Meant[] | undefined {
    const { part, kind, above, line, instead } = difference;
    if (kind === 'order') return undefined;
    for (const one of this.lines) {
      if (one.part !== part) continue;
      const wanted = bindingsIn(one.parts, kind === 'extra' ? line : (instead ?? line));
      if (!wanted) continue;
      const before = kind === 'changed' ? bindingsIn(one.parts, line) : undefined;
      if (kind === 'changed' && !before) continue;
      const changed = wanted.filter(({ text }, i) => before?.[i]?.text !== text);
      const said = changed.map((binding) => this.one(one, binding, kind, above, difference));
      if (said.length > 0 && said.every((meant) => meant !== undefined)) return said;
    }
    return undefined;
  }

  private one(
    { loops }: TemplateLine,
    { expr, text }: Binding,
    kind: Difference['kind'],
    above: readonly string[],
    difference: Difference,
  ): Meant | undefined {
    const read = inverted(expr, text);
    if (!read) return undefined;
    const { path, value } = read;
    const [root = '', ...rest] = path;
    if (root === 'set')
      return kind === 'changed' && typeof value === 'string'
        ? { of: 'setting', name: rest.join('.'), how: 'set', value }
        : undefined;
    const loop = loops.find(({ item }) => item === root);
    const list = loop && pathIn(loop.list);
    if (!list) return undefined;
    if (list[0] === 'set' && rest.length === 0 && typeof value === 'string' && kind !== 'changed')
      return { of: 'setting', name: list.slice(1).join('.'), how: kind === 'extra' ? 'add' : 'take away', value };
    if ((list[0] === 'ports' || list[0] === 'interfaces') && list.length === 1 && rest.length === 1) {
      const name = this.nameOf(loop, 'name', above);
      if (name === undefined) return undefined;
      return { of: 'interface', name, field: rest[0] ?? '', value: kind === 'missing' ? null : value };
    }
    if (list[0] === 'vlans' && list.length === 1 && rest.length === 1)
      return this.vlan(loop, rest[0] ?? '', value, kind, above, difference);
    return undefined;
  }

  private vlan(
    loop: Loop,
    field: string,
    value: string | boolean | string[],
    kind: Difference['kind'],
    above: readonly string[],
    { inside }: Difference,
  ): Meant | undefined {
    if (typeof value !== 'string') return undefined;
    if (field === 'number' && kind === 'extra') {
      const titles = this.linesOf(loop).flatMap(({ parts }) =>
        inside.flatMap((line) =>
          (bindingsIn(parts, line) ?? []).flatMap(({ expr, text }) => {
            const read = inverted(expr, text);
            return read?.path.join('.') === `${loop.item}.title` && typeof read.value === 'string' ? [read.value] : [];
          }),
        ),
      );
      return { of: 'vlan', number: Number(value), title: titles[0] ?? null };
    }
    const number = this.nameOf(loop, 'number', above);
    return field === 'title' && kind === 'changed' && number !== undefined
      ? { of: 'vlan', number: Number(number), title: value }
      : undefined;
  }

  /** What the block says of the item that its loop stands at: `socket @{port.name}` says its name. */
  private nameOf(loop: Loop, field: string, above: readonly string[]): string | undefined {
    const block = above.at(-1);
    if (block === undefined) return undefined;
    for (const { parts } of this.linesOf(loop))
      for (const { expr, text } of bindingsIn(parts, block) ?? []) {
        const read = inverted(expr, text);
        if (read?.path.join('.') === `${loop.item}.${field}` && typeof read.value === 'string') return read.value;
      }
    return undefined;
  }

  private linesOf = (loop: Loop): TemplateLine[] => this.lines.filter(({ loops }) => loops.includes(loop));
}

/** What stands in the places of the expressions of a line, where the line fits. */
function bindingsIn(parts: readonly (string | Expr)[], line: string): Binding[] | undefined {
  const exprs = parts.filter((part) => typeof part !== 'string');
  if (exprs.length === 0) return undefined;
  const source = parts.map((part) => (typeof part === 'string' ? escaped(part) : '(.+?)')).join('');
  const found = new RegExp(`^${source.trim()}$`).exec(line);
  return found ? exprs.map((expr, i) => ({ expr, text: found[i + 1] ?? '' })) : undefined;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

interface Read {
  path: string[];
  value: string | boolean | string[];
}

/** The name and the value by which an expression would have made a text. */
function inverted(expr: Expr, text: string): Read | undefined {
  const path = pathIn(expr);
  if (path) return { path, value: text };
  switch (expr.kind) {
    case 'fallback':
      return inverted(expr.left, text);
    case 'choice': {
      const condition = pathIn(expr.condition);
      if (!condition) return undefined;
      if (expr.yes.kind === 'literal' && expr.yes.value === text) return { path: condition, value: true };
      return expr.no.kind === 'literal' && expr.no.value === text ? { path: condition, value: false } : undefined;
    }
    case 'text': {
      const [only, ...more] = bindingsIn(expr.parts, text) ?? [];
      return only && more.length === 0 ? inverted(only.expr, only.text) : undefined;
    }
    case 'call':
      return invertedCall(expr.name, expr.args, text);
    default:
      return undefined;
  }
}

function invertedCall(name: string, [first, second]: readonly Expr[], text: string): Read | undefined {
  if (!first) return undefined;
  if (name === 'quote') {
    const [, inner] = /^"(.*)"$/.exec(text) ?? [];
    return inner === undefined ? undefined : inverted(first, inner.replace(/\\(["\\])/g, '$1'));
  }
  if (name === 'join' && second?.kind === 'literal' && typeof second.value === 'string') {
    const path = pathIn(first);
    return path && { path, value: text.split(second.value) };
  }
  return undefined;
}

/** `set.time.zone` as a list of its names. */
function pathIn(expr: Expr): string[] | undefined {
  if (expr.kind === 'name') return [expr.name];
  if (expr.kind !== 'member') return undefined;
  const of = pathIn(expr.of);
  return of && [...of, expr.name];
}
