import type { DialectWords } from '@zpine/contract/fleetShapes';
import type { RunDraft } from './draft.ts';

/** What the fields of a run are given; `names`: the questions that some dialect knows. */
export type FieldsProps = {
  draft: RunDraft;
  onChange: (part: Partial<RunDraft>) => void;
  names: string[];
  /** What each dialect answers and does. */
  words: DialectWords[];
};
