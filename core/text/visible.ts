/**
 * Texts of others, made harmless to look at: what would steer a terminal, or turn the reading order of a line round, is
 * shown instead of done.
 */

/** What steers: C0 and C1 controls but tab and line feed, and Unicode's marks of direction (UAX 9) and of lines. */
const steering = /[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]/g;

/** Controls as the pictures that Unicode has for them, all else by its number. */
const shown = (sign: string): string => {
  const code = sign.charCodeAt(0);
  if (code < 0x20) return String.fromCharCode(0x2400 + code);
  if (code === 0x7f) return '\u2421';
  return `‹${code.toString(16).padStart(4, '0')}›`;
};

/** `\x1b[2J` becomes `␛[2J`. Line feeds and tabs stay; a carriage return before a line feed is the line's end. */
export const visible = (text: string): string => text.replace(/\r\n/g, '\n').replace(steering, shown);
