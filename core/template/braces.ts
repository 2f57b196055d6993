/** As deep as quotes may lie inside each other. */
const MOST_NESTED = 200;

/**
 * Where the brace that belongs to an opened `@{` stands, past quotes and inner braces; -1 when there is none. Of quotes
 * that lie too deep it gives the innermost place that it looked at: who reads there says that it is too deep.
 */
export function closingBrace(source: string, from: number, end: number, nested = 0): number {
  let depth = 1;
  for (let i = from; i < end; i += 1) {
    const sign = source[i];
    if (sign === '"' || sign === "'") {
      i = closingQuote(source, i, end, nested);
      if (i < 0) return -1;
    } else if (sign === '{') depth += 1;
    else if (sign === '}' && (depth -= 1) === 0) return i;
  }
  return -1;
}

function closingQuote(source: string, from: number, end: number, nested: number): number {
  if (nested > MOST_NESTED) return end;
  const quote = source[from];
  for (let i = from + 1; i < end; i += 1) {
    if (source[i] === '\\') i += 1;
    else if (quote === '"' && source[i] === '@' && source[i + 1] === '@') i += 1;
    else if (quote === '"' && source[i] === '@' && source[i + 1] === '{') {
      const close = closingBrace(source, i + 2, end, nested + 1);
      if (close < 0) return -1;
      i = close;
    } else if (source[i] === quote) return i;
  }
  return -1;
}
