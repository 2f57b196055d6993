import { stages, type Stage as StageName } from '@zpine/contract/kinds/devices';

/** A stage by glyph and word: never by colour alone. */
export function Stage({ stage }: { stage: string }) {
  return (
    <span className={`stage ${stage} nowrap`}>
      <i aria-hidden>{stages[stage as StageName] ?? '?'}</i>
      {stage}
    </span>
  );
}
