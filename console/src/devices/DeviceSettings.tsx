import { useQuery } from '@tanstack/react-query';
import { Button, Table } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ExplainedSetting } from '@zpine/contract/onboardingShapes';
import { client, keys, problemOf } from '../api.ts';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';
import { SetValue } from '../settings/SetValue.tsx';
import { layerWords, ValueText } from '../settings/value.tsx';

/** The effective settings of a device, each with the layers that it comes from. */
export function DeviceSettings({ device }: { device: string }) {
  const may = useMay('engineer');
  const [setting, setSetting] = useState<ExplainedSetting>();
  const found = useQuery({
    queryKey: keys.worked('settings', device),
    queryFn: () => client.call('device.settings', { params: { ref: device } }),
  });
  if (found.isError) return <div className="refused">{problemOf(found.error).detail}</div>;
  return (
    <>
      <Table<ExplainedSetting>
        size="small"
        rowKey="name"
        pagination={false}
        dataSource={found.data?.items ?? []}
        expandable={{ rowExpandable: (s) => s.steps.length > 0, expandedRowRender: (s) => <Steps setting={s} /> }}
        columns={[
          {
            title: 'Setting',
            render: (_, s) => (
              <Link className="mono" to={pathOf('setting', s.name)} title={s.about}>
                {s.name}
              </Link>
            ),
          },
          {
            title: 'Value',
            render: (_, s) => (
              <>
                <ValueText value={s.value} /> {s.unit && s.value !== null ? s.unit : ''}
              </>
            ),
          },
          { title: 'Comes from', render: (_, s) => from(s) },
          ...(may
            ? [
                {
                  title: '',
                  render: (_: unknown, s: ExplainedSetting) => (
                    <Button size="small" onClick={() => setSetting(s)}>
                      Set here
                    </Button>
                  ),
                },
              ]
            : []),
        ]}
      />
      {setting && (
        <SetValue
          setting={setting.name}
          valueType={setting.valueType}
          secret={setting.secret}
          layer={{ layer: 'device', of: device }}
          onClose={() => setSetting(undefined)}
        />
      )}
    </>
  );
}

function from(s: ExplainedSetting) {
  const layers = new Set(
    [s.origin, ...Object.values(s.origins)].flatMap((o) => (o ? [layerWords(o.kind, o.key)] : [])),
  );
  if (layers.size > 0) return [...layers].join(' and ');
  return <span className="second">{s.value === null ? '' : 'default of the catalogue'}</span>;
}

function Steps({ setting }: { setting: ExplainedSetting }) {
  return (
    <ol className="steps">
      {setting.steps.map((step) => (
        <li key={`${step.layer} ${step.of}`} className={step.stands ? '' : 'hidden'}>
          <span>{layerWords(step.layer, step.of)}</span>
          <span>{step.mode === 'set' ? 'says' : step.mode === 'add' ? 'adds' : 'takes away'}</span>
          <ValueText value={step.value} />
          {!step.stands && <span className="second">hidden by a stronger layer</span>}
        </li>
      ))}
    </ol>
  );
}
