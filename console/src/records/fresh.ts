import { useEffect, useRef } from 'react';
import type { AnyRecord } from '@zpine/contract/kind';

/** The rows that changed while somebody looked: they glow once. */
export function useFresh(items: AnyRecord[]): Set<number> {
  const versions = useRef(new Map<number, number>());
  const fresh = new Set<number>();
  if (versions.current.size > 0) {
    for (const { id, version, updatedAt } of items) {
      const before = versions.current.get(id);
      const changed = before === undefined ? Date.now() - Date.parse(updatedAt) < 5000 : before !== version;
      if (changed) fresh.add(id);
    }
  }
  useEffect(() => {
    versions.current = new Map(items.map(({ id, version }) => [id, version]));
  });
  return fresh;
}
