import { expect } from 'chai';
import { cellText, recordsToCsv } from './csv.ts';
import { fieldTypes, typeOf, type Value } from './fields.ts';
import { schemaOf } from './fieldSchemas.ts';
import { canonicalKey, columnOf, fieldsOf, makeKey, splitKey } from './kind.ts';
import { addSchema } from './kindSchemas.ts';
import { kindNames, kindOf } from './kinds.ts';

describe('the kinds', () => {
  it('have paths of their own', () => {
    const paths = kindNames.map((name) => kindOf(name).path);
    expect(new Set(paths).size).to.equal(paths.length);
  });

  for (const name of kindNames) {
    const k = kindOf(name);
    describe(name, () => {
      it('is registered under its own name', () => expect(k.name).to.equal(name));

      it('refers only to kinds that exist', () => {
        for (const [, field] of fieldsOf(k)) {
          expect(field.type === 'ref').to.equal(field.to !== undefined);
          if (field.to) expect(kindNames).to.include(field.to);
        }
      });

      it('lists, sorts and keys by fields that it has', () => {
        for (const column of k.list) expect(column === 'key' || column in k.fields, column).to.equal(true);
        for (const column of k.sort ?? []) expect(k.fields[column]?.type, column).to.not.equal('ref');
        for (const part of k.key.parts) expect(k.fields, part).to.have.property(part);
      });

      it('names no two columns alike', () => {
        const columns = fieldsOf(k).flatMap(([field, spec]) =>
          typeOf(spec)
            .columns(columnOf(field), spec)
            .map((c) => c.name),
        );
        expect(new Set(columns).size).to.equal(columns.length);
      });

      it('gives examples that it takes itself', () => {
        for (const [field, spec] of fieldsOf(k)) {
          if (spec.example === undefined) continue;
          const type = typeOf(spec);
          expect(schemaOf(spec).safeParse(type.fromText(spec.example)).success, `${field}: ${spec.example}`).to.equal(
            true,
          );
        }
      });

      it('takes its own defaults', () => {
        for (const [field, spec] of fieldsOf(k)) {
          if (spec.default !== undefined) expect(schemaOf(spec).safeParse(spec.default).success, field).to.equal(true);
        }
      });

      it('says all faults of an input at once', () => {
        const read = addSchema(k).safeParse({
          nonsense: 1,
          ...Object.fromEntries(fieldsOf(k).map(([field]) => [field, {}])),
        });
        expect(read.success).to.equal(false);
        const required = fieldsOf(k).filter(([, spec]) => !spec.derived && !spec.byVerb && spec.type !== 'json');
        expect(read.error?.issues.length).to.be.at.least(required.length);
      });
    });
  }
});

describe('field types', () => {
  const samples: Partial<Record<keyof typeof fieldTypes, Value[]>> = {
    bool: [true, false, null],
    int: [0, 304, null],
    mac: ['00:00:5e:00:53:a1', null],
    ip: ['10.77.16.11', '2001:db8:77::5', null],
    cidr: ['10.77.16.0/24', '::/0', '0.0.0.0/0'],
    ranges: ['10.77.16.2-10.77.16.10, 10.77.16.99', null],
    json: [['10.77.0.5'], { a: 1 }, 'text', 3, null],
    text: ['ticket window', null],
    colour: ['#2b6486', null],
  };
  for (const [type, values] of Object.entries(samples)) {
    it(`${type} comes back from its columns as it went in`, () => {
      const { toRow, fromRow } = fieldTypes[type as keyof typeof fieldTypes];
      for (const value of values) expect(fromRow('f', toRow('f', value))).to.deep.equal(value);
    });
    it(`${type} comes back from its text as it went in`, () => {
      const spec = { type: type as keyof typeof fieldTypes, title: '' };
      const { toText, fromText } = typeOf(spec);
      for (const value of values) {
        if (value === null) continue;
        expect(schemaOf(spec).parse(fromText(toText(value)))).to.deep.equal(value);
      }
    });
  }
});

describe('natural keys', () => {
  it('are put together and taken apart', () => {
    expect(makeKey(kindOf('rack'), ['ard/closet', 'W1']).key).to.equal('ard/closet/w1');
    expect(splitKey(kindOf('rack'), 'ard/closet/w1')).to.deep.equal({ room: 'ard/closet', name: 'w1' });
    expect(splitKey(kindOf('interface'), 'ard-acc-1:1/3')).to.deep.equal({ device: 'ard-acc-1', name: '1/3' });
    expect(splitKey(kindOf('prefix'), '10.77.0.0/16@wireless')).to.deep.equal({
      cidr: '10.77.0.0/16',
      vrf: 'wireless',
    });
    expect(makeKey(kindOf('prefix'), ['10.77.0.0/16', 'default']).key).to.equal('10.77.0.0/16');
  });

  it('have one spelling', () => {
    expect(canonicalKey(kindOf('address'), '2001:DB8:0:0::5')).to.equal('2001:db8::5');
    expect(canonicalKey(kindOf('prefix'), '2001:0DB8::/32@Wireless')).to.equal('2001:db8::/32@wireless');
    expect(canonicalKey(kindOf('site'), ' ARD ')).to.equal('ard');
  });

  it('sort prefixes by address, a covering one before what it covers', () => {
    const order = (cidr: string, vrf = 'default') => makeKey(kindOf('prefix'), [cidr, vrf]).sortKey;
    const wanted = [
      '10.0.0.0/8',
      '10.0.0.0/24',
      '10.0.0.0/31',
      '10.0.1.0/24',
      '192.0.2.0/24',
      '2001:db8::/32',
      '2001:db8::/64',
    ];
    expect([...wanted].reverse().sort((a, b) => (order(a) < order(b) ? -1 : 1))).to.deep.equal(wanted);
    expect(order('0.0.0.0/0', 'wireless') > order('2001:db8::/64')).to.equal(true);
  });
});

describe('CSV', () => {
  it('makes text of cells that a spreadsheet would run', () => {
    const csv = recordsToCsv(kindOf('owner'), [{ name: 'a', title: '=1+1', note: 'plain, "quoted"' }]);
    expect(csv).to.equal('name,title,note,labels\r\na,\'=1+1,"plain, ""quoted""",\r\n');
  });
  it('shows nothing for nothing', () => expect(cellText(kindOf('rack'), 'owner', { owner: null })).to.equal(''));
});
