/** The words by which records are found: kept in small letters without accents, whole and from each of their parts on. */

/** The longest beginning of a word that is kept. */
const TERM_SIGNS = 40;
/** Of one text; what stands further back in a long note is not looked for. */
const MOST = 60;

/** Letters that are letters of their own, and that people without them write so. */
const spelled: Record<string, string> = { ø: 'o', æ: 'ae', œ: 'oe', ß: 'ss', ð: 'd', þ: 'th', đ: 'd', ł: 'l', ı: 'i' };

/** In small letters, without accents. */
export const plain = (text: string): string =>
  text
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[øæœßðþđłı]/g, (letter) => spelled[letter] ?? letter);

/** `Quay-side switch` has `quay-side`, `side` and `switch`. */
export function wordsIn(text: string): string[] {
  const out = new Set<string>();
  for (const word of plain(text).match(/[\p{L}\p{N}]+(?:[._:/-]+[\p{L}\p{N}]+)*/gu) ?? []) {
    out.add(word.slice(0, TERM_SIGNS));
    for (const sign of word.matchAll(/[._:/-]+/g)) {
      const rest = word.slice(sign.index + sign[0].length);
      if (rest.length > 1) out.add(rest.slice(0, TERM_SIGNS));
    }
    if (out.size >= MOST) break;
  }
  return [...out].slice(0, MOST);
}

/** The digits of a MAC as a whole, and its last six and four: those are what people read off a sticker. */
export function macTerms(mac: string): string[] {
  const digits = mac.replace(/[^0-9a-f]/gi, '').toLowerCase();
  return [digits, digits.slice(-6), digits.slice(-4)];
}

/** A label once more, behind a sign that no word begins with: so all labels of a kind stand together in the index. */
export const labelTerm = (label: string): string => `#${label}`;

/** What somebody typed, as words that terms may begin with. */
export const wordsTyped = (typed: string): string[] =>
  plain(typed)
    .split(/[\s,;]+/)
    .map((word) => word.replace(/^[^\p{L}\p{N}]+|[^\p{L}\p{N}]+$/gu, '').slice(0, TERM_SIGNS))
    .filter((word) => word !== '');

/** The digits, if a text may be a MAC or a good part of one: `00-00-5E`, `5e00.53a1`. */
export function macDigits(typed: string): string | undefined {
  const text = typed.trim().toLowerCase();
  if (!/^[0-9a-f]+([:.-]?[0-9a-f]+)*[:.-]?$/.test(text)) return undefined;
  const digits = text.replace(/[:.-]/g, '');
  return digits.length >= 4 && digits.length <= 12 ? digits : undefined;
}
