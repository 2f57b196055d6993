import { stateWords, type ShownState } from '@zpine/contract/checkShapes';

const glyphs: Record<ShownState, [string, string]> = {
  holds: ['●', 'var(--pine)'],
  broken: ['✕', 'var(--berry)'],
  unknown: ['◌', 'var(--resin)'],
  excepted: ['–', 'var(--stone)'],
};

/** What a check came to: a glyph with colour, and the words. */
export function CheckState({ of }: { of: ShownState }) {
  const [glyph, colour] = glyphs[of];
  return (
    <span className="nowrap">
      <span style={{ color: colour }} aria-hidden>
        {glyph}
      </span>{' '}
      {stateWords[of]}
    </span>
  );
}
