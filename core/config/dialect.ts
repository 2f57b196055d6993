/** What has to be known of a network operating system to boot, reach, read and compare its devices: data, no code paths. */
import { type DialectDescription } from './dialects/description.ts';
import { furrow } from './dialects/furrow.ts';

const dialects: Record<string, DialectDescription> = { furrow };

export const dialectOf = (name: string | null | undefined): DialectDescription | undefined =>
  name ? dialects[name] : undefined;
