import { expect } from 'chai';
import { expectedAt } from './complete.ts';

/** The cursor is where the bar stands. */
const at = (text: string) => {
  const cursor = text.indexOf('|');
  const { from, to, ...rest } = expectedAt(text.replace('|', ''), cursor);
  return { ...rest, replaces: text.replace('|', '').slice(from, to) };
};

describe('the completion of selections', () => {
  const cases: [string, object][] = [
    ['|', { kind: 'field', begin: '', joins: false, replaces: '' }],
    ['si|', { kind: 'field', begin: 'si', joins: false, replaces: 'si' }],
    ['site=|', { kind: 'value', field: 'site', op: '=', begin: '', replaces: '' }],
    ['site=ar|', { kind: 'value', field: 'site', op: '=', begin: 'ar', replaces: 'ar' }],
    ['site=ard,s|', { kind: 'value', field: 'site', op: '=', begin: 's', replaces: 's' }],
    ['site!=a|rd duty=access', { kind: 'value', field: 'site', op: '!=', begin: 'a', replaces: 'ard' }],
    ['site=ard |', { kind: 'field', begin: '', joins: true, replaces: '' }],
    ['site=ard d|', { kind: 'field', begin: 'd', joins: true, replaces: 'd' }],
    ['(site=ard or |', { kind: 'field', begin: '', joins: false, replaces: '' }],
    ['site.area=nor|', { kind: 'value', field: 'site.area', op: '=', begin: 'nor', replaces: 'nor' }],
    ['note="a b" |', { kind: 'field', begin: '', joins: true, replaces: '' }],
  ];
  for (const [text, expected] of cases) it(`at ${text}`, () => expect(at(text)).to.deep.equal(expected));
});
