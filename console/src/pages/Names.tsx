import { Button, Select, Tabs } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, keys, problemOf } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';

/** A hosts file and zone files, made of devices and their addresses: to look at, and to take away. */
export default function Names() {
  const [site, setSite] = useState<string | null>(null);
  const may = useMay('engineer');
  const of = site ? { site } : {};
  const hosts = useQuery({
    queryKey: keys.worked('hosts', site ?? ''),
    queryFn: () => client.call('names.hosts', { query: of }),
  });
  const zones = useQuery({
    queryKey: keys.worked('zones', site ?? ''),
    queryFn: () => client.call('names.zones', { body: of }),
    enabled: may,
    retry: false,
  });
  const [chosen, setChosen] = useState<string>();
  const items = zones.data?.items ?? [];
  const zone = items.find((one) => one.zone === chosen) ?? items.find((one) => !one.zone.endsWith('.arpa')) ?? items[0];
  const nameless = zones.data?.nameless ?? [];
  return (
    <Page
      title="Names"
      sentence="Devices by their main address, interfaces by theirs, and the way back from each."
      crumbs={[
        ['Addressing', '/prefixes'],
        ['Names', undefined],
      ]}
    >
      <div className="filters" style={{ maxWidth: 300 }}>
        <RefInput id="names-site" kind="site" value={site} onChange={setSite} />
      </div>
      <Tabs
        items={[
          {
            key: 'hosts',
            label: 'Hosts file',
            children: <FileText name="hosts" text={hosts.data?.text ?? ''} />,
          },
          ...(may
            ? [
                {
                  key: 'zones',
                  label: `Zone files${items.length > 0 ? ` ${items.length}` : ''}`,
                  children: zones.isError ? (
                    <div className="refused">{words(zones.error)}</div>
                  ) : (
                    zone && (
                      <>
                        <Select
                          aria-label="Zone"
                          className="mono"
                          style={{ minWidth: 340, marginBottom: 10 }}
                          value={zone.zone}
                          options={items.map((one) => ({
                            value: one.zone,
                            label: `${one.zone}  ${one.records} records, serial ${one.serial}`,
                          }))}
                          onChange={setChosen}
                        />
                        <FileText name={`${zone.zone}.zone`} text={zone.text} />
                      </>
                    )
                  ),
                },
              ]
            : []),
        ]}
      />
      {nameless.length > 0 && (
        <p className="second">
          In no zone, as no setting name.domain says which: {nameless.slice(0, 8).join(', ')}
          {nameless.length > 8 && ` and ${nameless.length - 8} more`}
        </p>
      )}
    </Page>
  );
}

function words(error: unknown): string {
  const { detail, remedy } = problemOf(error);
  return remedy ? `${detail}: ${remedy}` : detail;
}

function FileText({ name, text }: { name: string; text: string }) {
  const save = () => {
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([text], { type: 'text/plain' }));
    link.download = name;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return (
    <>
      <Button size="small" onClick={save} disabled={text === ''} style={{ display: 'block' }}>
        Download {name}
      </Button>
      <pre className="panel mono filetext">{text === '' ? 'nothing to name yet' : text}</pre>
    </>
  );
}
