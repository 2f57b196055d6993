/** The little that devices have to know of prefixes, in IPv4. */
const numberOf = (address: string): number => address.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);

const sizeOf = (length: number): number => 2 ** (32 - length);

/** `10.77.16.11/24` lies in `10.77.16.0/24`. */
export function networkOf(withLength: string): string | undefined {
  const [address = '', length] = withLength.split('/');
  if (length === undefined) return undefined;
  const at = numberOf(address);
  const first = at - (at % sizeOf(Number(length)));
  return `${[24, 16, 8, 0].map((shift) => Math.floor(first / 2 ** shift) % 256).join('.')}/${length}`;
}

export function holds(prefix: string, address: string): boolean {
  const [first = '', length] = prefix.split('/');
  const at = numberOf(address) - numberOf(first);
  return length !== undefined && at >= 0 && at < sizeOf(Number(length));
}
