import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { client, keys } from '../api.ts';
import type { HelpProps } from '../kinds/extras.ts';

/** The next name by the pattern of place and duty, to be taken with one click. */
export default function NextName({ values, onTake }: HelpProps) {
  const { name: typed, site, rack, duty, model } = values;
  const given = Object.entries({ site, rack, duty, model }).filter(([, value]) => typeof value === 'string');
  const query = Object.fromEntries(given) as Record<string, string>;
  const found = useQuery({
    queryKey: keys.worked('next-name', query),
    queryFn: () => client.call('device.nextName', { query }),
    enabled: !typed && (Boolean(site) || Boolean(rack)),
    retry: false,
  });
  if (typed) return null;
  if (!found.data) return <span className="hint">Choose site or rack, and duty: the next name is proposed.</span>;
  const { name } = found.data;
  return (
    <Button size="small" type="link" style={{ padding: 0 }} onClick={() => onTake(name)}>
      Take <span className="mono">{name}</span>
    </Button>
  );
}
