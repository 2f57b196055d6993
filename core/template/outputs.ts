/** The names of the further files that a template makes, as far as its text alone says them. */
import type { Expr, Node } from './ast.ts';

const literalText = (expr: Expr): string | undefined => {
  if (expr.kind === 'literal') return typeof expr.value === 'string' ? expr.value : undefined;
  if (expr.kind !== 'text' || expr.parts.some((part) => typeof part !== 'string')) return undefined;
  return expr.parts.join('');
};

/** Undefined where one of them is worked out. */
export function outputsOf(body: readonly Node[]): string[] | undefined {
  const out: string[] = [];
  const look = (nodes: readonly Node[]): boolean =>
    nodes.every((node) => {
      if (node.kind === 'output') {
        const name = literalText(node.name);
        if (name === undefined) return false;
        out.push(name);
      }
      if (node.kind === 'if') return node.arms.every((arm) => look(arm.body)) && look(node.otherwise);
      if (node.kind === 'for') return look(node.body) && look(node.none);
      return node.kind === 'part' || node.kind === 'output' ? look(node.body) : true;
    });
  return look(body) ? out : undefined;
}
