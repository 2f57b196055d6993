import { Button, Input, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ShownSlot } from '@zpine/contract/hardwareRoutes';
import type { Value } from '@zpine/contract/fields';
import { shortSeries } from '@zpine/core/naming/series';
import { client, keys } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { useMay } from '../session.tsx';

const signs: Record<ShownSlot['state'], [string, string]> = {
  empty: ['·', 'idle'],
  unseen: ['?', 'idle'],
  same: ['=', 'right'],
  differs: ['≠', 'failure'],
  missing: ['−', 'failure'],
  undeclared: ['+', 'attention'],
};

/** The slots of a device and what is in them, declared against found; and where its ports are not those of its model. */
export function Slots({ device }: { device: string }) {
  const may = useMay('engineer');
  const mayEnter = useMay('installer');
  const attempt = useAttempt();
  const [adding, setAdding] = useState<Record<string, Value>>();
  const [entering, setEntering] = useState<string>();
  const found = useQuery({
    queryKey: keys.worked('hardware', device),
    queryFn: () => client.call('device.hardware', { params: { ref: device } }),
  });
  if (!found.data) return null;
  const { slots, differs, model } = found.data;
  const undeclared = slots.filter((slot) => slot.state === 'undeclared');
  const params = { ref: device };
  const declare = () =>
    void attempt(async () => {
      await client.call('device.declareFound', { params });
      return `declared what was found in ${device}`;
    });
  const align = () =>
    void attempt(async () => {
      const { refused } = await client.call('model.align', {
        params: { ref: model ?? '' },
        body: { devices: [device] },
      });
      if (refused[0]) throw new Error(refused[0].why);
      return `${device} has the ports of its model`;
    });
  const enter = () =>
    void attempt(async () => {
      await client.call('device.found', { params, body: { cards: cardsIn(entering ?? '') } });
      setEntering(undefined);
      return 'noted what was found';
    });
  const words = [
    differs.missing.length > 0 && `${shortSeries(differs.missing).join(' ')} missing`,
    differs.extra.length > 0 && `${shortSeries(differs.extra).join(' ')} too many`,
    differs.other.length > 0 && `${differs.other.map((one) => one.port).join(' ')} of another kind`,
  ].filter(Boolean);
  return (
    <>
      {words.length > 0 && (
        <div className="wrong panel" role="status">
          <div className="why">Its ports are not those that its model and cards bring: {words.join(', ')}.</div>
          {may && model && (
            <Button size="small" onClick={align}>
              Bring it along
            </Button>
          )}
        </div>
      )}
      {slots.length > 0 && (
        <>
          <h2 className="section-title">
            Slots{' '}
            <span className="second">
              {slots.filter((slot) => slot.declared).length} of {slots.length} filled
            </span>
            <span className="sectionactions actions">
              {mayEnter && (
                <Button size="small" onClick={() => setEntering(textOf(slots))}>
                  Enter what is there
                </Button>
              )}
              {may && undeclared.length > 0 && (
                <Button size="small" type="primary" onClick={declare}>
                  Declare what was found
                </Button>
              )}
            </span>
          </h2>
          {entering !== undefined && (
            <div className="panel">
              <div className="body form">
                <label htmlFor="found-cards">A card a line: slot, model, serial. All that is in it.</label>
                <Input.TextArea
                  id="found-cards"
                  className="mono"
                  spellCheck={false}
                  autoFocus
                  autoSize={{ minRows: 3, maxRows: 12 }}
                  value={entering}
                  onChange={(event) => setEntering(event.target.value)}
                />
                <div className="toolbar" style={{ margin: '8px 0 0' }}>
                  <Button type="primary" onClick={enter}>
                    Note it
                  </Button>
                  <Button type="text" onClick={() => setEntering(undefined)}>
                    Cancel
                  </Button>
                </div>
              </div>
            </div>
          )}
          <SlotTable slots={slots} onFill={may ? (slot) => setAdding({ device, slot }) : undefined} />
        </>
      )}
      {adding && <RecordDrawer kind="card" preset={adding} onClose={() => setAdding(undefined)} />}
    </>
  );
}

function SlotTable({ slots, onFill }: { slots: ShownSlot[]; onFill: ((slot: string) => void) | undefined }) {
  return (
    <Table<ShownSlot>
      size="small"
      rowKey="slot"
      dataSource={slots}
      pagination={false}
      columns={[
        {
          title: 'Slot',
          render: (_, s) => (
            <span className="mono" style={{ paddingLeft: s.depth * 18 }}>
              {s.slot}
            </span>
          ),
        },
        { title: 'Takes', render: (_, s) => <span className="mono second">{s.takes}</span> },
        {
          title: 'Declared',
          render: (_, s) =>
            s.declared ? (
              <>
                <Link className="mono" to={pathOf('card', s.declared.key)}>
                  {s.declared.model.split('/').at(-1)}
                </Link>{' '}
                <span className="mono second">{s.declared.serial}</span>
              </>
            ) : (
              onFill &&
              s.takes && (
                <Button size="small" onClick={() => onFill(s.slot)}>
                  Declare a card
                </Button>
              )
            ),
        },
        { title: 'Ports', align: 'right', render: (_, s) => (s.declared?.ports ? s.declared.ports : '') },
        {
          title: 'Found',
          render: (_, s) =>
            s.found && (
              <span
                className="mono"
                title={`${s.found.via === 'arrival' ? 'said by the device' : 'entered by hand'}, ${s.found.at}`}
              >
                {[s.found.model, s.found.serial].filter(Boolean).join(' ')}
              </span>
            ),
        },
        {
          title: '',
          render: (_, s) => (
            <span>
              <i className={`sign ${signs[s.state][1]}`}>{signs[s.state][0]}</i> {s.words}
            </span>
          ),
        },
      ]}
    />
  );
}

const textOf = (slots: ShownSlot[]): string =>
  slots
    .flatMap(({ slot, found, declared }) => {
      const card = found ?? (declared && { ...declared, model: declared.model.split('/').at(-1) ?? '' });
      return card ? [[slot, card.model, card.serial].filter(Boolean).join(' ')] : [];
    })
    .join('\n');

const cardsIn = (text: string) =>
  text
    .split('\n')
    .map((line) => line.trim().split(/[\s,;]+/))
    .filter(([slot]) => slot)
    .map(([slot = '', model, serial]) => ({ slot, ...(model ? { model } : {}), ...(serial ? { serial } : {}) }));
