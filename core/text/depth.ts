/**
 * How deep brackets stand inside each other in a JSON text, without reading it: what reads it and works through it may
 * then call itself. Stops counting beyond `most`, and says so by a number larger than that.
 */
export function depthOfJson(text: string, most: number): number {
  let depth = 0;
  let deepest = 0;
  for (let i = 0; i < text.length; i += 1) {
    switch (text.charCodeAt(i)) {
      case 0x22: // "
        for (i += 1; i < text.length && text.charCodeAt(i) !== 0x22; i += 1) if (text.charCodeAt(i) === 0x5c) i += 1;
        break;
      case 0x5b: // [
      case 0x7b: // {
        depth += 1;
        if (depth > deepest) deepest = depth;
        if (deepest > most) return deepest;
        break;
      case 0x5d: // ]
      case 0x7d: // }
        depth -= 1;
    }
  }
  return deepest;
}

/** Of lists and maps inside each other, wherever they come from: real ones have a handful. */
export const MOST_DEPTH = 64;
