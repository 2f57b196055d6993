/** For how long what is done apart may take. */
import type { Asked } from '../http/asked.ts';

const USUAL = 60;
const IMPORT = 900;
/** A preview ends by itself at the time it was given; what it has begun then takes a while. */
const PREVIEW_BEYOND = 60;
const PREVIEW = 60;
const MOST_PREVIEW = 600;

/** What cannot be meant is refused where the call is looked at, and that takes no time of its own. */
const secondsOfPreview = (given: string | undefined): number => {
  const seconds = Number(given);
  return seconds >= 1 && seconds <= MOST_PREVIEW ? seconds : PREVIEW;
};

export function secondsFor({ id, query }: Asked): number {
  if (query.preview !== undefined) return secondsOfPreview(query.previewSeconds) + PREVIEW_BEYOND;
  return /^(import|export|history|removed)\./.test(id) ? IMPORT : USUAL;
}
