/** Answers that are alike, together: the largest group first. */
export interface Answered {
  device: string;
  digest: string;
}

export interface Group {
  digest: string;
  devices: string[];
}

export function groupsOf(answers: readonly Answered[]): Group[] {
  const byDigest = new Map<string, string[]>();
  for (const { device, digest } of answers) byDigest.set(digest, [...(byDigest.get(digest) ?? []), device]);
  return [...byDigest]
    .map(([digest, devices]) => ({ digest, devices }))
    .sort((a, b) => b.devices.length - a.devices.length || ((a.devices[0] ?? '') < (b.devices[0] ?? '') ? -1 : 1));
}

/** `37 alike, 3 differ`. */
export function groupWords(groups: readonly Group[]): string {
  const [first, ...rest] = groups;
  if (!first) return 'no answers';
  const others = rest.reduce((sum, { devices }) => sum + devices.length, 0);
  if (others === 0) return first.devices.length === 1 ? 'one answer' : `all ${first.devices.length} alike`;
  return `${first.devices.length} alike, ${others} differ${others === 1 ? 's' : ''}`;
}
