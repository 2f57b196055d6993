import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { parseWhere, type Where } from './where.ts';

/** The tree in brackets. */
function shown(where: Where): string {
  if (where.kind === 'test')
    return `${where.field}${where.op}${where.values.map((v) => (v.quoted ? `"${v.text}"` : v.text)).join('|')}`;
  if (where.kind === 'not') return `not(${shown(where.of)})`;
  return `${where.kind}(${where.of.map(shown).join(' ')})`;
}
const read = (text: string): string => {
  const parsed = parseWhere(text);
  return parsed.ok ? shown(parsed.value) : `${parsed.fault.params.at} ${parsed.fault.params.words}`;
};

describe('the selection expression', () => {
  const cases: [string, string][] = [
    ['site=ard', 'site=ard'],
    ['site=ard duty=access stage!=retired', 'and(site=ard duty=access stage!=retired)'],
    ['site=ard,cob or not stage=serving', 'or(site=ard|cob not(stage=serving))'],
    ['(site=ard or site=cob) and duty=access', 'and(or(site=ard site=cob) duty=access)'],
    ['title="Ardle Pier" rack=ard/closet/w1', 'and(title="Ardle Pier" rack=ard/closet/w1)'],
    ['heightU >= 12 heightU<48', 'and(heightU>=12 heightU<48)'],
    [
      'address=10.77.16.0/24 mac=00:00:5e:00:53:a1 name=ske-*',
      'and(address=10.77.16.0/24 mac=00:00:5e:00:53:a1 name=ske-*)',
    ],
    ['', '1 a test is missing here: FIELD=VALUE'],
    ['site', '5 behind "site" one of = != <= >= < > is expected'],
    ['site=', '6 a value is missing here'],
    ['site=ard (duty=access', '22 ")" is missing'],
    ['site="ard', '6 this quote is never closed'],
    ['site=ard)', '9 ")" does not belong here'],
    ['heightU<1,2', '8 "<" takes one value'],
  ];
  for (const [text, expected] of cases) it(`reads ${text || 'nothing'}`, () => expect(read(text)).to.equal(expected));
  it('never throws, whatever it reads', () => {
    const piece = fc.constantFrom('site', '=', '!=', '<', ' ', ',', '(', ')', '"', "'", 'or', 'not', 'and', '*', '!');
    fc.assert(
      fc.property(fc.array(fc.oneof(piece, fc.string({ maxLength: 3 }))), (parts) => void parseWhere(parts.join(''))),
    );
  });
});
