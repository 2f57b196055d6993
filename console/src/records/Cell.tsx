import { Link } from 'react-router';
import { typeOf, type Field, type Value } from '@zpine/contract/fields';
import { Stage } from '../look/Stage.tsx';
import { CableColour } from '../cables/CableColour.tsx';
import { Labels } from './Labels.tsx';
import { pathOf } from './paths.ts';

const monospaced = new Set<Field['type']>([
  'name',
  'portName',
  'code',
  'mac',
  'ip',
  'cidr',
  'ranges',
  'numbers',
  'ports',
  'slots',
]);

/** A value as it is shown, in a list or on a page. */
export function Cell({ name, field, value }: { name: string; field: Field; value: Value }) {
  if (value === null) return <span className="second">–</span>;
  if (name === 'stage') return <Stage stage={String(value)} />;
  if (field.type === 'ref') {
    return (
      <Link className="mono" to={pathOf(field.to ?? '', String(value))} onClick={(event) => event.stopPropagation()}>
        {String(value)}
      </Link>
    );
  }
  if (name === 'colour' && field.type === 'choice') return <CableColour colour={String(value)} />;
  if (field.type === 'colour') {
    return (
      <>
        <span className="swatch" style={{ background: String(value) }} />
        <span className="mono">{String(value)}</span>
      </>
    );
  }
  if (Array.isArray(value) && field.type === 'labels') return <Labels labels={value.map(String)} />;
  const text = typeOf(field).toText(value);
  if (monospaced.has(field.type) || field.type === 'json')
    return <span className="mono">{field.capitals ? text.toUpperCase() : text}</span>;
  return <>{field.unit ? `${text} ${field.unit}` : text}</>;
}
