import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { bitsOf, formatIp, parseIp } from '@zpine/core/addressing/ip';
import { formatPrefix, lastOf, parsePrefix, sizeOf, type Prefix } from '@zpine/core/addressing/prefix';
import { firstAligned, type Span } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys } from '../api.ts';
import { pathOf } from '../records/paths.ts';

const ROWS = 8n;

interface Piece extends Span {
  look: 'child' | 'free';
  /** The prefix of a child; the first address of what is free. */
  name: string;
  title: string;
}

interface Props {
  prefix: string;
  space: ReplyOf<'prefix.space'>;
  /** A free stretch was chosen: a block that fits there, of the size that its neighbours have. */
  onHole: ((cidr: string) => void) | undefined;
}

/** The space of a prefix in eight rows, to scale: what its children have, and the holes between them. */
export function BlockMap({ prefix, space, onHole }: Props) {
  const p = mustParse(parsePrefix(prefix.split('@')[0] ?? ''));
  const query = { parent: prefix, limit: 500 };
  const level = useQuery({
    queryKey: keys.worked('level', JSON.stringify(query)),
    queryFn: () => client.call('prefix.level', { query }),
  });
  const [picked, setPicked] = useState<Piece>();
  const children = (level.data?.items ?? []).map((item) => {
    const block = mustParse(parsePrefix(item.prefix.split('@')[0] ?? ''));
    const title = [item.prefix, item.description, item.site?.toUpperCase()].filter(Boolean).join(' · ');
    return {
      block,
      piece: { first: block.first, last: lastOf(block), look: 'child' as const, name: item.prefix, title },
    };
  });
  const holes = space.holes.map(({ first, last }): Piece => {
    const span = { first: mustParse(parseIp(first)).value, last: mustParse(parseIp(last)).value };
    return { ...span, look: 'free', name: first, title: `free: ${first} to ${last}` };
  });
  const pieces = [...children.map(({ piece }) => piece), ...holes];
  const usual = usualLength(
    p,
    children.map(({ block }) => block),
  );
  const rowSize = sizeOf(p) / ROWS > 0n ? sizeOf(p) / ROWS : 1n;
  const rows = Array.from({ length: Number(sizeOf(p) / rowSize) }, (_, i) => {
    const first = p.first + BigInt(i) * rowSize;
    return { first, last: first + rowSize - 1n };
  });
  return (
    <section aria-label={`The space of ${prefix}`}>
      <div className="blockmap">
        {rows.map((row) => (
          <div className="blockrow" key={String(row.first)}>
            <span className="mono second at">{formatIp({ family: p.family, value: row.first })}</span>
            <div className="stretch">
              {pieces
                .filter((piece) => piece.first <= row.last && row.first <= piece.last)
                .map((piece) => (
                  <Cell
                    key={piece.name}
                    piece={piece}
                    row={row}
                    picked={picked?.name === piece.name}
                    onPick={setPicked}
                  />
                ))}
            </div>
          </div>
        ))}
      </div>
      <div className="legend">
        <span>
          <span className="cell child" /> {space.children.toLocaleString()} prefixes inside
        </span>
        <span>
          <span className="cell hole" /> {space.holes.length === 1000 ? 'the first 1000' : space.holes.length}{' '}
          {space.holes.length === 1 ? 'hole' : 'holes'}
        </span>
        {space.assigned > 0 && (
          <span>
            <span className="cell fixed" /> addresses
          </span>
        )}
        {level.data?.next && <span>Only the first 500 prefixes are drawn.</span>}
      </div>
      {picked && <Picked piece={picked} p={p} usual={usual} space={space} onHole={onHole} />}
    </section>
  );
}

/** The length that most children have; four bits more than the parent where there are none. */
function usualLength(p: Prefix, children: Prefix[]): number {
  const counts = new Map<number, number>();
  for (const { length } of children) counts.set(length, (counts.get(length) ?? 0) + 1);
  const [most] = [...counts].sort(([, a], [, b]) => b - a);
  return most?.[0] ?? Math.min(bitsOf(p.family), p.length + 4);
}

interface CellProps {
  piece: Piece;
  row: Span;
  picked: boolean;
  onPick: (piece: Piece) => void;
}

function Cell({ piece, row, picked, onPick }: CellProps) {
  const size = Number(row.last - row.first + 1n);
  const first = piece.first > row.first ? piece.first : row.first;
  const last = piece.last < row.last ? piece.last : row.last;
  const width = (100 * Number(last - first + 1n)) / size;
  // Named where it begins, if there is space for a name.
  const named = piece.look === 'child' && piece.first === first && width > 11;
  return (
    <button
      type="button"
      title={piece.title}
      aria-label={piece.title}
      className={`${piece.look === 'child' ? 'child' : 'hole'}${picked ? ' picked' : ''}`}
      style={{ left: `${(100 * Number(first - row.first)) / size}%`, width: `${width}%` }}
      onClick={() => onPick(piece)}
    >
      {named && piece.name.split('@')[0]}
    </button>
  );
}

interface PickedProps {
  piece: Piece;
  p: Prefix;
  usual: number;
  space: ReplyOf<'prefix.space'>;
  onHole: ((cidr: string) => void) | undefined;
}

function Picked({ piece, p, usual, space, onHole }: PickedProps) {
  if (piece.look === 'child')
    return (
      <div className="panel" style={{ marginTop: 12 }}>
        <div className="body">
          <Link className="mono" to={pathOf('prefix', piece.name)}>
            {piece.title}
          </Link>
        </div>
      </div>
    );
  const { family } = p;
  const largest = space.holes.find((hole) => hole.first === piece.name)?.fits ?? '';
  const at = firstAligned(piece, usual, family);
  const cidr = at === undefined ? largest : formatPrefix({ family, first: at, length: usual });
  return (
    <div className="panel" style={{ marginTop: 12 }}>
      <div className="body" style={{ display: 'flex', gap: 14, alignItems: 'center', flexWrap: 'wrap' }}>
        <span>
          Free: <span className="mono">{piece.name}</span> to{' '}
          <span className="mono">{formatIp({ family, value: piece.last })}</span>
        </span>
        <span className="second">
          the largest block in it is <span className="mono">{largest}</span>
        </span>
        {onHole && (
          <Button size="small" onClick={() => onHole(cidr)}>
            Add {cidr} …
          </Button>
        )}
      </div>
    </div>
  );
}
