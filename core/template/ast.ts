import type { Num } from './decimal.ts';
import type { SourcePlace } from './faults.ts';

export type BinaryOp =
  '+' | '-' | '*' | '/' | '%' | '==' | '!=' | '<' | '<=' | '>' | '>=' | 'in' | 'not in' | 'and' | 'or';

export type Expr = { at: SourcePlace } & (
  | { kind: 'literal'; value: null | boolean | string | Num }
  | { kind: 'text'; parts: (string | Expr)[] }
  | { kind: 'list'; items: Expr[] }
  | { kind: 'map'; entries: [string, Expr][] }
  | { kind: 'name'; name: string }
  | { kind: 'member'; of: Expr; name: string; guarded: boolean }
  | { kind: 'index'; of: Expr; index: Expr }
  | { kind: 'call'; name: string; args: Expr[] }
  | { kind: 'fallback'; left: Expr; right: Expr }
  | { kind: 'unary'; op: '-' | 'not'; of: Expr }
  | { kind: 'binary'; op: BinaryOp; left: Expr; right: Expr }
  | { kind: 'choice'; condition: Expr; yes: Expr; no: Expr }
);

export type Node = { at: SourcePlace } & (
  | { kind: 'line'; parts: (string | Expr)[]; ended: boolean }
  | { kind: 'let'; name: string; value: Expr }
  | { kind: 'if'; arms: { condition: Expr; body: Node[] }[]; otherwise: Node[] }
  | {
      kind: 'for';
      index?: string;
      item: string;
      list: Expr;
      where?: Expr;
      by: { key: Expr; down: boolean }[];
      body: Node[];
      none: Node[];
    }
  | { kind: 'insert'; name: string; indent: string; given: [string, Expr][] }
  | { kind: 'part'; name: string; owned: boolean; owns: string[]; body: Node[] }
  | { kind: 'output'; name: Expr; body: Node[] }
  | { kind: 'require'; value: Expr; message: Expr }
);

export interface Template {
  name: string;
  body: Node[];
  /** Parts by name, in order; for what speaks of them without rendering. */
  parts: { name: string; owned: boolean; owns: string[] }[];
  inserts: string[];
}
