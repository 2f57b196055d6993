/** Where the brace that belongs to an opened `@{` stands, past quotes and inner braces; -1 when there is none. */
export function closingBrace(source: string, from: number, end: number): number {
  let depth = 1;
  for (let i = from; i < end; i += 1) {
    const sign = source[i];
    if (sign === '"' || sign === "'") {
      i = closingQuote(source, i, end);
      if (i < 0) return -1;
    } else if (sign === '{') depth += 1;
    else if (sign === '}' && (depth -= 1) === 0) return i;
  }
  return -1;
}

function closingQuote(source: string, from: number, end: number): number {
  const quote = source[from];
  for (let i = from + 1; i < end; i += 1) {
    if (source[i] === '\\') i += 1;
    else if (quote === '"' && source[i] === '@' && source[i + 1] === '@') i += 1;
    else if (quote === '"' && source[i] === '@' && source[i + 1] === '{') {
      const close = closingBrace(source, i + 2, end);
      if (close < 0) return -1;
      i = close;
    } else if (source[i] === quote) return i;
  }
  return -1;
}
