/** Finds every fault that can be known before there is data: the template's first, then its fragments', each once. */
import type { Expr, Node } from './ast.ts';
import type { Library } from './compile.ts';
import { faultAt, type SourcePlace, type TemplateFault } from './faults.ts';
import { shapeOf, type Known, type Report } from './inference.ts';
import { parseTemplate, type Parsed } from './parse.ts';
import { MOST_FRAGMENTS } from './bounds.ts';
import { any, number, type Shape, shapeName, text } from './shapes.ts';

export interface Catalogue {
  /** The data's names. */
  names: Record<string, Shape>;
  /** What `secret("...")` may ask for. */
  secrets: readonly string[];
}

/** All faults of a template and of the fragments that it inserts. */
export function checkTemplate(name: string, source: string, library: Library, catalogue: Catalogue): TemplateFault[] {
  const checker = new Checker(library, catalogue);
  checker.template(parseTemplate(name, source), new Map(), []);
  return checker.sorted(name);
}

interface Block {
  names: Map<string, Shape>;
  own: Set<string>;
}

class Checker {
  private readonly library: Library;
  private readonly catalogue: Catalogue;
  private readonly faults = new Map<string, TemplateFault>();
  private readonly parsed = new Map<string, Parsed>();
  private readonly done = new Set<string>();
  private readonly fragments: string[] = [];

  constructor(library: Library, catalogue: Catalogue) {
    this.library = library;
    this.catalogue = catalogue;
  }

  /** By template in the order in which they were met, then by place. */
  sorted(name: string): TemplateFault[] {
    const rank = (fault: TemplateFault): number =>
      fault.template === name ? -1 : this.fragments.indexOf(fault.template);
    return [...this.faults.values()].sort((a, b) => rank(a) - rank(b) || a.line - b.line || a.column - b.column);
  }

  private add(fault: TemplateFault): void {
    const key = `${fault.template}:${fault.line}:${fault.column}:${fault.message}`;
    if (!this.faults.has(key)) this.faults.set(key, fault);
  }

  private readonly report: Report = (at, code, message, hint) => this.add(faultAt(at, code, message, hint));

  template(parsed: Parsed, given: Map<string, Shape>, way: string[]): void {
    for (const fault of parsed.faults) this.add(fault);
    const scope: Block = { names: new Map(given), own: new Set(given.keys()) };
    this.block(parsed.template.body, scope, [...way, parsed.template.name]);
  }

  private inner(outer: Block): Block {
    return { names: new Map(outer.names), own: new Set() };
  }

  private block(nodes: Node[], scope: Block, way: string[]): void {
    for (const node of nodes) this.node(node, scope, way);
  }

  private shape(expr: Expr, scope: Block): Shape {
    const known: Known = { locals: scope.names, names: this.catalogue.names, secrets: this.catalogue.secrets };
    return shapeOf(expr, known, this.report);
  }

  private node(node: Node, scope: Block, way: string[]): void {
    switch (node.kind) {
      case 'line':
        for (const part of node.parts) if (typeof part !== 'string') this.interpolated(part, scope);
        return;
      case 'let': {
        const shape = this.shape(node.value, scope);
        this.declare(node.name, shape, scope, node.at);
        return;
      }
      case 'if':
        for (const arm of node.arms) {
          this.shape(arm.condition, scope);
          this.block(arm.body, this.inner(scope), way);
        }
        this.block(node.otherwise, this.inner(scope), way);
        return;
      case 'for':
        return this.loop(node, scope, way);
      case 'insert':
        return this.insert(node, scope, way);
      case 'part':
        this.block(node.body, this.inner(scope), way);
        return;
      case 'output': {
        const shape = this.shape(node.name, scope);
        if (shape.secret || !['any', 'text'].includes(shape.is)) {
          this.report(node.at, 'type', `a file is named by a text, not by ${shapeName(shape)}`);
        }
        this.block(node.body, this.inner(scope), way);
        return;
      }
      case 'require':
        this.shape(node.value, scope);
        this.interpolated(node.message, scope);
    }
  }

  private interpolated(expr: Expr, scope: Block): void {
    const shape = this.shape(expr, scope);
    if (shape.is === 'list') this.report(expr.at, 'type', 'a list cannot stand in a text', 'write join(..., ", ")');
    else if (shape.is === 'map')
      this.report(expr.at, 'type', 'a map cannot stand in a text', 'name one of its entries');
    else if (shape.is === 'nothing')
      this.report(expr.at, 'type', 'nothing cannot stand in a text', 'give another value with ??');
  }

  private declare(name: string, shape: Shape, scope: Block, at: SourcePlace): void {
    if (Object.hasOwn(this.catalogue.names, name)) {
      this.report(at, 'hidden', `"${name}" is a name of the data and cannot be hidden`, 'choose another name');
    } else if (scope.own.has(name)) this.report(at, 'twice', `"${name}" has a value in this block already`);
    scope.names.set(name, shape);
    scope.own.add(name);
  }

  private loop(node: Node & { kind: 'for' }, outer: Block, way: string[]): void {
    const list = this.shape(node.list, outer);
    if (list.secret || !['any', 'list', 'map'].includes(list.is)) {
      this.report(
        node.list.at,
        'type',
        `@for goes through a list or a map, not through ${shapeName(list)}`,
        list.is === 'nothing' ? 'write ?? []' : undefined,
      );
    }
    const scope = this.inner(outer);
    const fields = list.is === 'map' && !list.open ? Object.values(list.fields) : [];
    const item = list.is === 'list' ? list.of : list.is === 'map' && list.rest ? list.rest : (fields[0] ?? any);
    const same = list.is === 'list' || fields.every((field) => field.is === item.is);
    if (node.index !== undefined)
      this.declare(node.index, list.is === 'list' ? number() : list.is === 'map' ? text() : any, scope, node.at);
    this.declare(node.item, same ? item : any, scope, node.at);
    if (node.where) this.shape(node.where, scope);
    for (const { key } of node.by) {
      const shape = this.shape(key, scope);
      if (shape.secret) this.report(key.at, 'secret', 'nothing is put in order by a secret');
      else if (shape.is === 'list' || shape.is === 'map')
        this.report(key.at, 'type', `${shapeName(shape)} has no order`);
    }
    this.block(node.body, scope, way);
    this.block(node.none, this.inner(outer), way);
  }

  private insert(node: Node & { kind: 'insert' }, scope: Block, way: string[]): void {
    const given = new Map<string, Shape>();
    for (const [name, value] of node.given) {
      const shape = this.shape(value, scope);
      if (Object.hasOwn(this.catalogue.names, name)) {
        this.report(value.at, 'hidden', `"${name}" is a name of the data and cannot be hidden`, 'choose another name');
      } else if (given.has(name)) this.report(value.at, 'twice', `"${name}" is given twice`);
      given.set(name, shape);
    }
    if (way.includes(node.name)) {
      this.report(
        node.at,
        'ring',
        `this closes a ring: ${[...way.slice(way.indexOf(node.name)), node.name].join(' > ')}`,
      );
      return;
    }
    if (way.length > MOST_FRAGMENTS) {
      this.report(node.at, 'too-deep', `more than ${MOST_FRAGMENTS} fragments inside each other`);
      return;
    }
    const parsed = this.fragment(node.name);
    if (!parsed) {
      this.report(node.at, 'fragment-unknown', `there is no fragment "${node.name}"`);
      return;
    }
    // Once for every set of names that it is given: what lies further in is the same.
    const key = JSON.stringify([node.name, [...given].map(([name, shape]) => [name, shape.is, shape.secret ?? false])]);
    if (this.done.has(key)) return;
    this.done.add(key);
    this.template(parsed, given, way);
  }

  private fragment(name: string): Parsed | undefined {
    const known = this.parsed.get(name);
    if (known) return known;
    const source = this.library(name);
    if (source === undefined) return undefined;
    const parsed = parseTemplate(name, source);
    this.parsed.set(name, parsed);
    this.fragments.push(name);
    return parsed;
  }
}
