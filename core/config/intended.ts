/** What a device should run, by parts, and what must be known of its dialect to hold that against what it runs. */
import type { Sameness } from '../dialect/sameness.ts';
import type { ConfigLine } from './tree.ts';

interface IntendedPart {
  name: string;
  owned: boolean;
  /** Beginnings of lines that are its own even where it renders none. */
  owns?: readonly string[];
  from: number;
  to: number;
}

export interface Intended {
  text: string;
  parts: readonly IntendedPart[];
}

/** What comparing has to know of a dialect. */
export interface Reader extends Sameness {
  parse: (text: string) => ConfigLine[];
  singleHead: (path: readonly string[]) => string | undefined;
  sheet: { heads: readonly string[] };
}
