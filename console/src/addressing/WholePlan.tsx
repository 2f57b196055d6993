import { InputNumber, Segmented, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { client, keys } from '../api.ts';
import { RefInput } from '../records/RefInput.tsx';
import { pathOf } from '../records/paths.ts';

/** Where a block of a size would still fit, anywhere or at one site. */
export function Fitting() {
  const [length, setLength] = useState(24);
  const [family, setFamily] = useState<'4' | '6'>('4');
  const [site, setSite] = useState<string | null>(null);
  const query = { length: String(length), family, ...(site ? { site } : {}) };
  const found = useQuery({
    queryKey: keys.worked('fits', JSON.stringify(query)),
    queryFn: () => client.call('prefix.fits', { query }),
    placeholderData: (before) => before,
  });
  return (
    <section className="panel" aria-label="Where a block fits">
      <h2>Where a block fits</h2>
      <div className="body">
        <div className="filters">
          <InputNumber
            aria-label="Length"
            prefix="/"
            min={1}
            max={family === '4' ? 32 : 128}
            value={length}
            onChange={(next) => setLength(next ?? length)}
          />
          <Segmented
            aria-label="Family"
            options={[
              { value: '4', label: 'IPv4' },
              { value: '6', label: 'IPv6' },
            ]}
            value={family}
            onChange={(next) => {
              setFamily(next as '4');
              setLength(next === '4' ? 24 : 64);
            }}
          />
          <div style={{ minWidth: 180 }}>
            <RefInput id="fits-site" kind="site" value={site} onChange={setSite} />
          </div>
        </div>
        <Table
          size="small"
          rowKey="prefix"
          dataSource={found.data?.items ?? []}
          pagination={{ pageSize: 10, hideOnSinglePage: true, showSizeChanger: false }}
          locale={{ emptyText: `No prefix here has room for a /${length}` }}
          columns={[
            { title: 'In', render: (_, item) => <To of={item.prefix} /> },
            { title: '', dataIndex: 'description' },
            { title: 'The next', render: (_, item) => <span className="mono">{item.first}</span> },
            { title: 'Blocks', align: 'right', dataIndex: 'blocks' },
          ]}
        />
      </div>
    </section>
  );
}

const relations = { same: 'is the same as', holds: 'holds' };

/** The same space in two VRFs, and prefixes in one of another site. */
export function Overlapping() {
  const found = useQuery({
    queryKey: keys.worked('overlaps', ''),
    queryFn: () => client.call('prefix.overlaps', { query: {} }),
  });
  const { overlaps = [], strays = [], count } = found.data ?? {};
  const rows = [
    ...overlaps.map(({ one, other, relation }) => ({
      one: one.prefix,
      words: relations[relation],
      other: other.prefix,
    })),
    ...strays.map((stray) => ({
      one: stray.prefix,
      words: `of ${stray.site.toUpperCase()} stands in one of ${stray.siteThere.toUpperCase()}:`,
      other: stray.inside,
    })),
  ];
  const total = (count?.overlaps ?? 0) + (count?.strays ?? 0);
  return (
    <section className="panel" aria-label="Overlaps" style={{ marginTop: 14 }}>
      <h2>
        Overlaps <span className="second">{total}</span>
      </h2>
      <div className="body">
        {rows.length === 0 && found.isSuccess && (
          <p className="second">No innermost prefix has the space of one in another VRF, or stands at another site.</p>
        )}
        {rows.slice(0, 50).map(({ one, words, other }) => (
          <div className="set line" key={`${one} ${other}`}>
            <To of={one} /> {words} <To of={other} />
          </div>
        ))}
        {total > 50 && <p className="second">and {total - 50} more: zpine overlaps</p>}
      </div>
    </section>
  );
}

const To = ({ of }: { of: string }) => (
  <Link className="mono" to={pathOf('prefix', of)}>
    {of}
  </Link>
);
