import { Checkbox, Input, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { client, keys } from '../api.ts';
import { BeforeQuestions } from './BeforeQuestions.tsx';
import type { FieldsProps } from './fields.ts';

/** Which image, what is expected afterwards, and whether lines may be lost. */
export function UpgradeFields({ draft, onChange, names }: FieldsProps) {
  const found = useQuery({
    queryKey: keys.list('image', { all: true }),
    queryFn: () => client.list('image', { limit: '200' }),
  });
  const images = (found.data?.items ?? []).map(({ key, release }) => ({ value: key, label: `${key} (${release})` }));
  return (
    <div className="two">
      <div>
        <label className="second" htmlFor="upgrade-image">
          Image
        </label>
        <Select
          id="upgrade-image"
          aria-label="Image"
          style={{ width: '100%', marginBottom: 8 }}
          value={draft.image}
          showSearch
          onChange={(image: string) => onChange({ image })}
          options={[{ value: '', label: 'the one that each device wants by its layers' }, ...images]}
        />
        <BeforeQuestions draft={draft} onChange={onChange} names={names} />
      </div>
      <div>
        <Checkbox checked={draft.insist} onChange={(event) => onChange({ insist: event.target.checked })}>
          Even where lines that run are not stored, and go with the restart
        </Checkbox>
        {draft.insist && (
          <Input
            aria-label="Why"
            placeholder="why, such as: those lines were a trial"
            value={draft.reason}
            onChange={(event) => onChange({ reason: event.target.value })}
          />
        )}
      </div>
    </div>
  );
}
