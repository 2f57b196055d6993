/**
 * The images of a simulated device: files in its store, one that runs, one that it starts with next. The first line of one
 * says what it is: `image furrow LF-24 4.2.0`, with `*` for every model of the dialect.
 */
import { createHash } from 'node:crypto';

/** What is kept of an image: all that can be asked of it. */
interface StoredImage {
  bytes: number;
  sha256: string;
  /** Its first line. */
  head: string;
}

/** On flash, whatever becomes of the power. */
export interface ImageFlash {
  images: Record<string, StoredImage>;
  runs: string;
  next: string;
}

/** How large a store is, in bytes. */
const STORE = 64 * 1024 * 1024;
const LONGEST_HEAD = 200;

const imageOf = (content: Uint8Array): StoredImage => ({
  bytes: content.length,
  sha256: createHash('sha256').update(content).digest('hex'),
  head: Buffer.from(content.subarray(0, LONGEST_HEAD)).toString('latin1').split('\n')[0] ?? '',
});

/** Which language a model speaks. */
export const dialectOfModel = (model: string): 'furrow' | 'quill' | 'shale' =>
  model === 'CB-7' ? 'quill' : model === 'TW-8' ? 'shale' : 'furrow';

interface ImagesOptions {
  dialect: string;
  model: string;
  /** Of what it came out of its box with. */
  version: string;
  flash: { system?: ImageFlash };
  saved: () => void;
  /** Nothing goes into its store. */
  full: () => boolean;
}

export class Images {
  private readonly options: ImagesOptions;
  private readonly held: ImageFlash;

  constructor(options: ImagesOptions) {
    this.options = options;
    const { dialect, model, version, flash } = options;
    const own = `${dialect}-${version}.img`;
    this.held = flash.system ??= {
      images: { [own]: imageOf(Buffer.from(`image ${dialect} ${model} ${version}\n`)) },
      runs: own,
      next: own,
    };
  }

  get runs(): string {
    return this.held.runs;
  }

  get next(): string {
    return this.held.next;
  }

  get version(): string {
    return this.fits(this.held.runs) ?? this.options.version;
  }

  get free(): number {
    const used = Object.values(this.held.images).reduce((sum, { bytes }) => sum + bytes, 0);
    return this.options.full() ? 0 : Math.max(0, STORE - used);
  }

  list(): { name: string; bytes: number; sha256: string }[] {
    return Object.entries(this.held.images).map(([name, { bytes, sha256 }]) => ({ name, bytes, sha256 }));
  }

  /** Its version, if it is for this device. */
  private fits(name: string): string | undefined {
    const { dialect, model } = this.options;
    const [, of, forModel, version] = /^image (\S+) (\S+) (\S+)$/.exec(this.held.images[name]?.head ?? '') ?? [];
    return of === dialect && (forModel === '*' || forModel === model) ? version : undefined;
  }

  /** Gives why it is not stored. */
  put(name: string, content: Uint8Array): string | undefined {
    if (content.length > this.free) return 'no room in the store';
    this.held.images[name] = imageOf(content);
    this.options.saved();
    return undefined;
  }

  drop(name: string): string | undefined {
    if (!(name in this.held.images)) return `there is no ${name}`;
    if (name === this.held.runs || name === this.held.next) return `${name} is in use`;
    this.held.images = Object.fromEntries(Object.entries(this.held.images).filter(([held]) => held !== name));
    this.options.saved();
    return undefined;
  }

  startWith(name: string): string | undefined {
    if (!(name in this.held.images)) return `there is no ${name}`;
    this.held.next = name;
    this.options.saved();
    return undefined;
  }

  /** At power-on. What is not for this device, or `broken`, is not started: it stays with what ran. Gives what happened. */
  start(broken: boolean): string | undefined {
    const { next, runs } = this.held;
    if (next === runs) return undefined;
    if (broken || this.fits(next) === undefined) {
      this.held.next = runs;
      this.options.saved();
      return `${next} did not start; it starts with ${runs} as before`;
    }
    this.held.runs = next;
    this.options.saved();
    return `starts with ${next}`;
  }
}
