/** Passwords that others try first. Length alone keeps nobody out who has a list. */

/** The beginnings of lists that go round, of ten characters and more, and what they are made of. */
const common = new Set(
  `1234567890 12345678910 123456789a 0123456789 0987654321 1111111111 1q2w3e4r5t 1qaz2wsx3edc q1w2e3r4t5 qwertyuiop qwerty1234 qwerty12345
   qwertyuiop123 asdfghjkl1 asdfghjkl; zxcvbnm123 passw0rd12 passw0rd123 iloveyou12 iloveyou123 letmein123 welcome123 welcome1234 admin12345
   admin123456 administrator changeme12 changeme123 changeme1234 football12 baseball12 superman12 sunshine12 princess12 dragon1234
   monkey1234 master1234 michael123 charlie123 trustno1234 secret1234 secret12345 default123 test123456 testtest12 abcd123456 abc1234567
   abcdefghij abcdefghijk a123456789 aa12345678 asdf123456 computer12 internet12 samsung123 liverpool1 manchester chelsea123 arsenal123
   whatever12 starwars12 pokemon123 batman1234 jordan2345 network123 networkadmin switch1234 switchadmin router1234 cisco12345 juniper123
   infrastructure spring2024! summer2024! autumn2024! winter2024! spring2025! summer2025! autumn2025! winter2025! spring2026! summer2026!`
    .split(/\s+/)
    .filter(Boolean),
);

/** Words that passwords are made of with a few digits behind them. */
const stems = [
  'password',
  'passwort',
  'passord',
  'qwerty',
  'welcome',
  'letmein',
  'admin',
  'changeme',
  'iloveyou',
  'zealouspine',
  'zpine',
];
/** As many characters behind a known word are no secret. */
const LITTLE = 6;
const rows = [
  'abcdefghijklmnopqrstuvwxyz',
  '01234567890',
  'qwertyuiop',
  'asdfghjkl',
  'zxcvbnm',
  '1qaz2wsx3edc4rfv5tgb',
];

/** What is known of a password beforehand; undefined where nothing is. */
export function weaknessOf(password: string, name: string): string | undefined {
  const plain = password.toLowerCase();
  const bare = plain.replace(/[^a-z0-9]/g, '');
  if (plain.trim() === '') return 'it is blank';
  if (new Set(plain).size < 4) return 'it is made of fewer than four different characters';
  if (common.has(plain) || common.has(bare)) return 'it is one of those that are tried first';
  // Signs in the place of letters fool nobody who has a program for it.
  const plainly = plain
    .replaceAll('@', 'a')
    .replaceAll('$', 's')
    .replaceAll('0', 'o')
    .replaceAll('3', 'e')
    .replaceAll('1', 'i')
    .replace(/[^a-z0-9]/g, '');
  for (const text of [bare, plainly])
    if (stems.some((stem) => text.startsWith(stem) && text.length - stem.length <= LITTLE))
      return 'it is a word that is tried first, with a little behind it';
  for (const row of rows) {
    const back = [...row].reverse().join('');
    if ([row, back].some((line) => (line + line).includes(bare)) && bare.length >= 6)
      return 'it is a row of keys, or of the alphabet';
  }
  const half = plain.slice(0, plain.length / 2);
  if (half.length >= 2 && half + half === plain && new Set(half).size < 5) return 'it repeats itself';
  const who = name.toLowerCase().replace(/[^a-z0-9]/g, '');
  if (who.length >= 3 && bare.includes(who) && bare.length - who.length < 6) return 'it is little more than the name';
  return undefined;
}
