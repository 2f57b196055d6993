import { Input, Select } from 'antd';
import type { ShownBlank } from '@zpine/contract/fleetShapes';

interface BlanksProps {
  blanks: readonly ShownBlank[];
  values: Record<string, string>;
  onChange: (values: Record<string, string>) => void;
}

const hints: Record<ShownBlank['is'], string> = {
  port: '1/2',
  address: '10.77.0.10, or @{device.management.gateway}',
  number: '1',
  word: '',
  text: '',
  moment: 'now, or 2026-11-27 10:02:00 in UTC',
};

const range = ({ least, most }: ShownBlank): string =>
  least === undefined && most === undefined ? '' : `, ${least ?? ''} to ${most ?? ''}`;

/** What it is about; what goes there is told where its name does not say so. */
function toldOf(blank: ShownBlank): string {
  const words = [blank.about ?? (blank.is === blank.name ? '' : blank.is), range(blank)].join('').replace(/^, /, '');
  return words === '' ? '' : `: ${words}`;
}

/** What stands in the blanks of a question or an operation. */
export const BlankFields = ({ blanks, values, onChange }: BlanksProps) => (
  <>
    {blanks.map((blank) => (
      <div key={blank.name}>
        <label htmlFor={`blank-${blank.name}`}>
          {blank.name}
          <span className="second">{toldOf(blank)}</span>
        </label>
        {blank.of ? (
          <Select
            id={`blank-${blank.name}`}
            style={{ width: '100%' }}
            value={values[blank.name] ?? blank.usual ?? null}
            options={blank.of.map((value) => ({ value, label: value }))}
            onChange={(value) => onChange({ ...values, [blank.name]: value })}
          />
        ) : (
          <Input
            id={`blank-${blank.name}`}
            className="mono"
            placeholder={blank.usual ?? hints[blank.is]}
            value={values[blank.name] ?? ''}
            onChange={(event) => onChange({ ...values, [blank.name]: event.target.value })}
          />
        )}
      </div>
    ))}
  </>
);
