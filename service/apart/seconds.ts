/** For how long what is done apart may take. */
import { type Asked } from '../http/asked.ts';

const USUAL = 60;
const IMPORT = 900;
/** A preview ends by itself at the time it was given; what it has begun then takes a while. */
const PREVIEW_BEYOND = 60;
const PREVIEW = 60;

export function secondsFor({ id, query }: Asked): number {
  if (query.preview !== undefined) return (Number(query.previewSeconds) || PREVIEW) + PREVIEW_BEYOND;
  return /^(import|export|history|removed)\./.test(id) ? IMPORT : USUAL;
}
