/** To a tenth of a percent; never 100 while something is free, nor 0 while something is taken. */
export function fillPercent(size: bigint, free: bigint): number {
  const taken = size - free;
  const tenths = Number((taken * 1000n) / size);
  if (taken > 0n && tenths === 0) return 0.1;
  return Math.min(tenths, free > 0n ? 999 : 1000) / 10;
}
