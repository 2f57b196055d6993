/** What the words of a list mean: as somebody says now, as it was said before, as people usually mean them. */
import type { Entry } from '@zpine/core/lists/branches';
import {
  guessMeaning,
  meanings,
  readGroupMeaning,
  readMeaning,
  soundsSecret,
  wordsOf,
  type GroupMeaning,
  type Meaning,
} from '@zpine/core/lists/meanings';
import { Refusal } from '@zpine/contract/errors';
import type { ReplyOf } from '@zpine/contract/routes';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { rememberedHeads } from './headMapping.ts';

type Reply = ReplyOf<'import.paste'>;

export class ListWords {
  private readonly said: Map<string, string>;
  private readonly before: Map<string, string | null>;
  private readonly settings: Map<string, { name: string; secret: boolean }>;
  private readonly seen = new Map<string, { times: number; example: string | null }>();

  private constructor(
    said: Map<string, string>,
    before: Map<string, string | null>,
    settings: Map<string, { name: string; secret: boolean }>,
  ) {
    this.said = said;
    this.before = before;
    this.settings = settings;
  }

  static async of(tx: Tx, means: Record<string, string>): Promise<ListWords> {
    const catalogue = await allOf(tx, 'setting');
    const settings = new Map(catalogue.map(({ name, secret }) => [plainly(name), { name, secret }]));
    const said = new Map(Object.entries(means).map(([word, text]) => [word.trim().toLowerCase(), text.trim()]));
    const names = new Set(catalogue.map(({ name }) => name));
    for (const [word, text] of said) {
      const meaning = word.startsWith('[')
        ? readGroupMeaning(text)
        : word.includes(':')
          ? text !== ''
          : readMeaning(text);
      if (!meaning)
        throw Refusal.at(['means', word], 'list-meaning', {
          value: text,
          can: word.startsWith('[')
            ? 'label NAME, site NAME, duty NAME, model NAME, dialect NAME, nothing'
            : meanings.join(', '),
        });
      if (typeof meaning === 'object' && 'setting' in meaning && !names.has(meaning.setting))
        throw Refusal.at(['means', word], 'ref-unknown', { kind: 'setting', value: meaning.setting });
    }
    return new ListWords(said, await rememberedHeads(tx, 'list'), settings);
  }

  /** Without what is only guessed. */
  readonly told = (word: string): Meaning | undefined => {
    const text = this.said.get(word.toLowerCase()) ?? this.before.get(word.toLowerCase());
    return text === undefined || text === null ? undefined : readMeaning(text);
  };

  meaning(word: string): Meaning | undefined {
    const setting = this.settings.get(plainly(word));
    return this.told(word) ?? (setting ? { is: 'setting', setting: setting.name } : guessMeaning(word));
  }

  /** What a value of theirs is called here: `os:fos` is said to be `furrow`. */
  translated(word: string, value: string): string {
    const key = `${word}:${value}`.toLowerCase();
    return this.said.get(key) ?? this.before.get(key) ?? value;
  }

  group(name: string): GroupMeaning {
    const text = this.said.get(`[${name}]`) ?? this.before.get(`[${name}]`);
    const told = text === undefined || text === null ? undefined : readGroupMeaning(text);
    return told ?? { is: 'label', of: name.replace(/[^a-z0-9._-]+/g, '-') };
  }

  private by(word: string): 'said' | 'remembered' | 'guessed' {
    return this.said.has(word) ? 'said' : this.before.has(word) ? 'remembered' : 'guessed';
  }

  groupBy(name: string): 'said' | 'remembered' | 'guessed' {
    return this.by(`[${name}]`);
  }

  isSecret(setting: string): boolean {
    return [...this.settings.values()].some(({ name, secret }) => name === setting && secret);
  }

  see({ word, value }: Pick<Entry, 'word' | 'value'>): void {
    const held = this.seen.get(word) ?? { times: 0, example: null };
    held.times += 1;
    held.example ??= typeof value === 'object' ? JSON.stringify(value) : String(value);
    this.seen.set(word, held);
  }

  /** All words of the list with what they were taken for; what is nobody's to see is not shown. */
  shown(): Reply['words'] {
    return [...this.seen].map(([word, { times, example }]) => {
      const meaning = this.meaning(word);
      const hidden =
        soundsSecret(word) ||
        meaning?.is === 'password' ||
        meaning?.is === 'second' ||
        (meaning !== undefined && 'setting' in meaning && this.isSecret(meaning.setting));
      return {
        word,
        means: meaning ? wordsOf(meaning) : null,
        by: meaning ? this.by(word) : null,
        times,
        example: hidden || example === null ? null : example.slice(0, 60),
      };
    });
  }
}

const plainly = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]+/g, '.');
