/** A value of a setting as people read it. */
export function ValueText({ value }: { value: unknown }) {
  if (value === null || value === undefined) return <span className="second">not set</span>;
  if (Array.isArray(value)) return <span className="mono">{value.map(String).join(', ') || 'empty'}</span>;
  if (typeof value === 'object') {
    const text = Object.entries(value)
      .map(([name, held]) => `${name} = ${String(held)}`)
      .join('\n');
    return (
      <span className="mono" style={{ whiteSpace: 'pre-line' }}>
        {text || 'empty'}
      </span>
    );
  }
  return (
    <span className="mono" style={{ whiteSpace: 'pre-line' }}>
      {String(value)}
    </span>
  );
}

export const layerWords = (kind: string, key: string): string => (key === '' ? kind : `${kind} ${key}`);
