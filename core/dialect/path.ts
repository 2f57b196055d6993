/** Stands between a block and a line in it, wherever both are one text. */
export const PATH = ' / ';

export const pathText = (above: readonly string[], line: string): string =>
  above.length === 0 ? line : `${above.join(PATH)}${PATH}${line}`;
