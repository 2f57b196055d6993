/** How many addresses there are, so that a person can read it. */

/** Numbers up to here are said digit by digit. */
const EXACT = 1_000_000_000n;

/** `241`, `65 534`, and from a thousand million on by powers of two: `2^64`, `about 2^64`, `about 1.5 × 2^76`. */
export function countWords(count: bigint | string): string {
  const value = BigInt(count);
  if (value < EXACT) return String(value).replace(/\B(?=(\d{3})+$)/g, ' ');
  const power = value.toString(2).length - 1;
  if (value === 1n << BigInt(power)) return `2^${power}`;
  // Fifty bits are enough for one digit behind the point.
  const shift = BigInt(Math.max(0, power - 50));
  const factor = Number(value >> shift) / 2 ** (power - Number(shift));
  if (factor >= 1.95) return `about 2^${power + 1}`;
  return factor < 1.05 ? `about 2^${power}` : `about ${factor.toFixed(1)} × 2^${power}`;
}
