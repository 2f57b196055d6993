/** What an expression gives, as far as it can be known without data; what cannot be right is reported. */
import { nearest } from '../naming/names.ts';
import type { Expr } from './ast.ts';
import { isNum } from './decimal.ts';
import type { SourcePlace } from './faults.ts';
import { functions, type Takes } from './functions.ts';
import { any, bool, either, listOf, mapOf, number, secretShape, type Shape, shapeName, text } from './shapes.ts';

export interface Known {
  locals: ReadonlyMap<string, Shape>;
  names: Record<string, Shape>;
  secrets: readonly string[];
}

export type Report = (at: SourcePlace, code: string, message: string, hint?: string) => void;

const near = (typed: string, candidates: Iterable<string>): string | undefined => {
  const found = nearest(typed, candidates);
  return found === undefined ? undefined : `did you mean "${found}"?`;
};

const literal = (value: unknown): Shape =>
  value === null
    ? { is: 'nothing' }
    : typeof value === 'string'
      ? text()
      : typeof value === 'boolean'
        ? bool()
        : isNum(value)
          ? number()
          : any;

export function shapeOf(expr: Expr, known: Known, report: Report): Shape {
  const of = (inner: Expr): Shape => shapeOf(inner, known, report);
  switch (expr.kind) {
    case 'literal':
      return literal(expr.value);
    case 'text': {
      let secret = false;
      for (const part of expr.parts) {
        if (typeof part === 'string') continue;
        const shape = of(part);
        secret ||= shape.secret === true;
        if (['list', 'map', 'nothing'].includes(shape.is)) {
          report(
            part.at,
            'type',
            `${shapeName(shape)} cannot stand in a text`,
            shape.is === 'nothing'
              ? 'give another value with ??'
              : shape.is === 'list'
                ? 'write join(..., ", ")'
                : 'name one of its entries',
          );
        }
      }
      return secret ? secretShape() : text();
    }
    case 'list':
      return listOf(expr.items.map(of).reduce(either, { is: 'nothing' }));
    case 'map':
      return mapOf(Object.fromEntries(expr.entries.map(([name, value]) => [name, of(value)])));
    case 'name':
      return nameShape(expr, known, report);
    case 'member':
      return memberShape(expr, of(expr.of), report);
    case 'index':
      return indexShape(expr, of(expr.of), of(expr.index), report);
    case 'call':
      return callShape(expr, known, report, expr.args.map(of));
    case 'fallback':
      return either(of(expr.left), of(expr.right));
    case 'unary':
      return unaryShape(expr, of(expr.of), report);
    case 'binary':
      return binaryShape(expr, of(expr.left), of(expr.right), report);
    case 'choice': {
      if (of(expr.condition).secret)
        report(expr.at, 'secret', 'a secret decides nothing here', 'use @if to ask whether it is set');
      return either(of(expr.yes), of(expr.no));
    }
  }
}

function nameShape(expr: Expr & { kind: 'name' }, known: Known, report: Report): Shape {
  const found =
    known.locals.get(expr.name) ?? (Object.hasOwn(known.names, expr.name) ? known.names[expr.name] : undefined);
  if (found) return found;
  if (Object.hasOwn(functions, expr.name))
    report(expr.at, 'unknown-name', `"${expr.name}" is a function`, `write ${expr.name}(...)`);
  else
    report(
      expr.at,
      'unknown-name',
      `there is no name "${expr.name}" here`,
      near(expr.name, [...known.locals.keys(), ...Object.keys(known.names)]),
    );
  return any;
}

function memberShape(expr: Expr & { kind: 'member' }, base: Shape, report: Report): Shape {
  if (base.is === 'any' || base.is === 'nothing') return any;
  if (base.is !== 'map') {
    report(
      expr.at,
      'type',
      `${shapeName(base)} has no "${expr.name}"`,
      base.is === 'list' ? 'go through it with @for, or take first(...)' : undefined,
    );
    return any;
  }
  const found = Object.hasOwn(base.fields, expr.name) ? base.fields[expr.name] : undefined;
  if (found) return found;
  if (!base.open)
    report(expr.at, 'unknown-name', `there is no "${expr.name}" in it`, near(expr.name, Object.keys(base.fields)));
  return base.rest ?? any;
}

function indexShape(expr: Expr & { kind: 'index' }, base: Shape, index: Shape, report: Report): Shape {
  if (index.secret) report(expr.at, 'secret', 'a secret names no item');
  if (base.is === 'list') {
    if (!['number', 'any'].includes(index.is))
      report(expr.at, 'type', `an item of a list is named by a whole number, not by ${shapeName(index)}`);
    return base.of;
  }
  if (base.is === 'map') {
    if (!['text', 'any'].includes(index.is))
      report(expr.at, 'type', `an entry of a map is named by a text, not by ${shapeName(index)}`);
    const key = expr.index.kind === 'literal' && typeof expr.index.value === 'string' ? expr.index.value : undefined;
    if (key === undefined || base.open) return base.rest ?? any;
    if (!Object.hasOwn(base.fields, key))
      report(expr.at, 'unknown-name', `there is no "${key}" in it`, near(key, Object.keys(base.fields)));
    return base.fields[key] ?? any;
  }
  if (base.is !== 'any' && base.is !== 'nothing') report(expr.at, 'type', `${shapeName(base)} has no items`);
  return any;
}

const fits = (shape: Shape, takes: Takes): boolean => {
  if (shape.is === 'any' || takes === 'any') return true;
  if (takes === 'scalar') return shape.is === 'text' || shape.is === 'number';
  return shape.is === takes;
};
const words: Record<Takes, string> = {
  text: 'a text',
  number: 'a number',
  list: 'a list',
  map: 'a map',
  scalar: 'a text or a number',
  any: 'anything',
};

function callShape(expr: Expr & { kind: 'call' }, known: Known, report: Report, args: Shape[]): Shape {
  const { name, at } = expr;
  if (name === 'secret') {
    const wanted = expr.args.length === 1 && expr.args[0]?.kind === 'literal' ? expr.args[0].value : undefined;
    if (typeof wanted !== 'string') report(at, 'arguments', 'secret(...) takes one fixed text');
    else if (!known.secrets.includes(wanted))
      report(expr.args[0]?.at ?? at, 'unknown-name', `there is no secret "${wanted}"`, near(wanted, known.secrets));
    return secretShape();
  }
  const row = Object.hasOwn(functions, name) ? functions[name] : undefined;
  if (!row) {
    report(at, 'unknown-function', `there is no function "${name}"`, near(name, [...Object.keys(functions), 'secret']));
    return any;
  }
  if (args.length < row.least || args.length > row.most) {
    const count = row.least === row.most ? String(row.least) : `${row.least} to ${row.most}`;
    report(at, 'arguments', `${name}(...) takes ${count} argument${count === '1' ? '' : 's'}, not ${args.length}`);
  }
  let secret = false;
  for (const [i, shape] of args.entries()) {
    const takes = row.takes[Math.min(i, row.takes.length - 1)] ?? 'any';
    if (shape.secret && shape.is === 'text') secret = true;
    if (COMPARING.has(name) && !shape.secret && containsSecret(shape))
      report(expr.args[i]?.at ?? at, 'secret', `${name}(...) is not to be asked of what holds a secret`);
    if (!fits(shape, takes))
      report(expr.args[i]?.at ?? at, 'type', `${name}(...) takes ${words[takes]} here, not ${shapeName(shape)}`);
  }
  const items = args[0]?.is === 'list' ? args[0].of : any;
  if (secret && row.secrets === 'refused') report(at, 'secret', `${name}(...) is not to be asked of a secret`);
  return resultShape(name, row.gives, args, items, secret || (name === 'join' && items.secret === true));
}

/** Functions that look into what lists and maps hold. */
const COMPARING = new Set(['count', 'sort', 'unique']);

/** Whether a value of this shape may hold a secret somewhere. */
function containsSecret(shape: Shape): boolean {
  if (shape.secret) return true;
  if (shape.is === 'list') return containsSecret(shape.of);
  if (shape.is !== 'map') return false;
  return (shape.rest !== undefined && containsSecret(shape.rest)) || Object.values(shape.fields).some(containsSecret);
}

function resultShape(name: string, gives: string, args: Shape[], items: Shape, secret: boolean): Shape {
  if (gives === 'text') return secret ? secretShape() : text();
  if (gives === 'number') return number();
  if (gives === 'bool') return bool();
  if (gives === 'map') return any;
  if (name === 'first' || name === 'last') return items;
  if (name === 'sort' || name === 'unique') return listOf(items);
  if (name === 'range') return listOf(number());
  if (name === 'split' || name === 'lines') return listOf(text());
  if (name === 'keys') return listOf(text());
  if (name === 'flatten') return listOf(items.is === 'list' ? items.of : any);
  const [shape] = args;
  // A list of values may hold secrets when the map does.
  if (name === 'values' && shape?.is === 'map' && shape.rest) return listOf(shape.rest);
  if (name === 'values' && shape?.is === 'map' && !shape.open)
    return listOf(Object.values(shape.fields).reduce(either, { is: 'nothing' }));
  return gives === 'list' ? listOf(any) : any;
}

function unaryShape(expr: Expr & { kind: 'unary' }, of: Shape, report: Report): Shape {
  if (expr.op === 'not') return bool();
  if (of.secret || !['number', 'any'].includes(of.is)) report(expr.at, 'type', `${shapeName(of)} has no negative`);
  return number();
}

const unlike = (a: Shape, b: Shape): boolean =>
  a.is !== 'any' && b.is !== 'any' && (a.is !== b.is || ['list', 'map', 'nothing'].includes(a.is));

function binaryShape(expr: Expr & { kind: 'binary' }, a: Shape, b: Shape, report: Report): Shape {
  const { op, at } = expr;
  const secret = a.secret === true || b.secret === true;
  switch (op) {
    case 'and':
    case 'or':
      return bool();
    case '==':
    case '!=':
      if ((secret || containsSecret(a) || containsSecret(b)) && a.is !== 'nothing' && b.is !== 'nothing')
        report(at, 'secret', 'a secret can be compared only with null');
      return bool();
    case '<':
    case '<=':
    case '>':
    case '>=':
      if (secret) report(at, 'secret', 'a secret can be compared only with null');
      else if (unlike(a, b)) report(at, 'type', `${shapeName(a)} and ${shapeName(b)} have no order`);
      return bool();
    case 'in':
    case 'not in': {
      if (secret || (b.is === 'list' && containsSecret(b)) || containsSecret(a))
        report(at, 'secret', `"${op}" is not to be asked of a secret`);
      else if (!['any', 'list', 'text', 'map'].includes(b.is)) report(at, 'type', `nothing is in ${shapeName(b)}`);
      else if (b.is === 'text' && !['text', 'any'].includes(a.is))
        report(at, 'type', `${shapeName(a)} cannot be in a text`);
      return bool();
    }
    default: {
      const texts = op === '+' && (a.is === 'text' || b.is === 'text');
      const wanted = texts ? 'text' : 'number';
      const wrong = [a, b].some((shape) => shape.is !== 'any' && shape.is !== wanted) || (secret && !texts);
      if (wrong)
        report(
          at,
          'type',
          `"${op}" does not go with ${shapeName(a)} and ${shapeName(b)}`,
          texts ? 'put numbers into a text with "@{...}"' : undefined,
        );
      if (secret && texts) return secretShape();
      return texts ? text() : op === '+' && a.is === 'any' && b.is === 'any' ? any : number();
    }
  }
}
