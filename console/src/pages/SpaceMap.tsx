import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { lastOf, parsePrefix, usableRange } from '@zpine/core/addressing/prefix';
import { parseRanges } from '@zpine/core/addressing/ranges';
import { mustParse } from '@zpine/core/fault';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';

type Look = 'fixed' | 'pool' | 'held' | 'gateway' | 'edge' | 'free';

interface Props {
  record: AnyRecord;
  space: ReplyOf<'prefix.space'>;
  /** A free address was chosen. */
  onFree: ((address: string) => void) | undefined;
}

const words: Record<Look, string> = {
  fixed: 'fixed',
  pool: 'pool',
  held: 'held back',
  gateway: 'gateway',
  edge: 'network, broadcast',
  free: 'free',
};

/** The addresses of a small prefix, one cell each. */
export function SpaceMap({ record, space, onFree }: Props) {
  const p = mustParse(parsePrefix(String(record.cidr)));
  const taken = useQuery({ queryKey: keys.list('address', { map: record.key }), queryFn: () => takenIn(record.key) });
  const [picked, setPicked] = useState<string>();
  const held = new Map(taken.data ?? []);
  const usable = usableRange(p);
  const inside = (text: unknown, value: bigint) =>
    typeof text === 'string' &&
    mustParse(parseRanges(text)).some((r) => value >= r.first.value && value <= r.last.value);
  const lookOf = (value: bigint, address: string): Look => {
    if (address === record.gateway) return 'gateway';
    if (held.has(address)) return 'fixed';
    if (value < usable.first || value > usable.last) return 'edge';
    if (inside(record.pool, value)) return 'pool';
    return inside(record.heldBack, value) ? 'held' : 'free';
  };
  const cells: { address: string; look: Look }[] = [];
  for (let value = p.first; value <= lastOf(p); value += 1n) {
    const address = formatIp({ family: p.family, value });
    cells.push({ address, look: lookOf(value, address) });
  }
  const count = (look: Look) => cells.filter((cell) => cell.look === look).length;
  const on = picked === undefined ? undefined : held.get(picked);
  return (
    <div>
      <div
        className={cells.length > 256 ? 'space small' : 'space'}
        role="grid"
        aria-label={`The addresses of ${String(record.cidr)}`}
      >
        {cells.map(({ address, look }) => (
          <button
            key={address}
            type="button"
            aria-label={`${address} ${words[look]}`}
            title={`${address} · ${held.get(address) ?? words[look]}`}
            className={`cell ${look} ${address === space.next ? 'next' : ''} ${address === picked ? 'picked' : ''}`}
            onClick={() => setPicked(address)}
            onDoubleClick={() => look === 'free' && onFree?.(address)}
          />
        ))}
      </div>
      <div className="legend">
        {(Object.keys(words) as Look[])
          .filter((look) => count(look) > 0)
          .map((look) => (
            <span key={look}>
              <span className={`cell ${look}`} />
              {words[look]} {count(look)}
            </span>
          ))}
        {space.next && (
          <span>
            <span className="cell next" />
            next
          </span>
        )}
      </div>
      {picked && (
        <div className="panel" style={{ marginTop: 12, maxWidth: 382 }}>
          <div className="body">
            <strong className="mono">{picked}</strong>
            <div className="second">{on ?? words[cells.find((c) => c.address === picked)?.look ?? 'free']}</div>
            {cells.find((c) => c.address === picked)?.look === 'free' && onFree && (
              <button
                type="button"
                className="ant-btn ant-btn-link"
                style={{ all: 'unset', cursor: 'pointer', color: 'var(--pine)' }}
                onClick={() => onFree(picked)}
              >
                Take it …
              </button>
            )}
          </div>
        </div>
      )}
    </div>
  );
}

/** Every assigned address of a prefix with what it is on. */
async function takenIn(prefix: string): Promise<[string, string][]> {
  const out: [string, string][] = [];
  for await (const a of client.all('address', { prefix }))
    out.push([canonical(a.address), a.interface ?? a.description ?? 'reserved']);
  return out;
}
const canonical = (text: string): string => formatIp(mustParse(parseIp(text)));
