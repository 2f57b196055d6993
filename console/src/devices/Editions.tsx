import { useQuery } from '@tanstack/react-query';
import { Button, Checkbox, Input, Modal, Select } from 'antd';
import { useState } from 'react';
import type { EditionHead, ShownEdition } from '@zpine/contract/onboardingShapes';
import { client, keys, problemOf } from '../api.ts';
import { ConfigText } from './ConfigText.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { useMay } from '../session.tsx';

/** The editions of a device: made, shown with the origin of every line, published. */
export function Editions({ device, serves }: { device: string; serves: boolean }) {
  const attempt = useAttempt();
  const may = useMay('engineer');
  const [chosen, setChosen] = useState<number>();
  const [publishing, setPublishing] = useState(false);
  const list = useQuery({
    queryKey: keys.worked('editions', device),
    queryFn: () => client.call('edition.list', { params: { ref: device } }),
  });
  const items = list.data?.items ?? [];
  const [newest] = items;
  const number = chosen ?? newest?.number;
  const shown = useQuery({
    queryKey: keys.worked('edition', device, number),
    enabled: number !== undefined,
    queryFn: () =>
      client.call('edition.show', { params: { ref: device, number: String(number) }, query: { trace: 'true' } }),
  });
  const make = () =>
    void attempt(async () => {
      const made = await client.call('edition.make', { params: { ref: device }, body: {} });
      setChosen(made.number);
      return `edition ${made.number} of ${device}`;
    });
  const current = items.find((e) => e.number === number);
  const stale = newest?.stale ?? true;
  return (
    <>
      <div className="toolbar">
        {items.length > 0 && number !== undefined && (
          <Select
            aria-label="Edition"
            style={{ width: 270 }}
            value={number}
            onChange={setChosen}
            options={items.map((e) => ({
              value: e.number,
              label: `Edition ${e.number}${e.current ? ', given now' : e.publishedAt ? ', published once' : ''}`,
            }))}
          />
        )}
        {current && <Head edition={current} newest={current === newest} />}
        <span className="spacer" />
        {may && (
          <Button type={items.length === 0 || stale ? 'primary' : 'default'} onClick={make}>
            {items.length === 0 ? 'Make the first edition' : 'Make an edition'}
          </Button>
        )}
        {may && current && !current.current && (
          <Button type={stale ? 'default' : 'primary'} onClick={() => setPublishing(true)}>
            Publish
          </Button>
        )}
      </div>
      {list.isError && <div className="refused">{problemOf(list.error).detail}</div>}
      {list.data && items.length === 0 && (
        <div className="panel">
          <div className="empty">
            <strong>No edition yet</strong>
            An edition is this device’s configuration, made from its records, its settings and the template that matches
            it.
          </div>
        </div>
      )}
      {shown.data && <WayBack edition={shown.data} />}
      {shown.data?.files.map((file) => (
        <ConfigText key={file.name} file={file} />
      ))}
      {publishing && current && (
        <Publish
          edition={current}
          wayBack={shown.data?.wayBack ?? []}
          serves={serves}
          onClose={() => setPublishing(false)}
        />
      )}
    </>
  );
}

function Head({ edition: e, newest }: { edition: EditionHead; newest: boolean }) {
  return (
    <span className="second">
      from {e.template}, made by {e.madeBy} <Ago at={e.madeAt} suffix=" ago" />
      {e.publishedAt && (
        <>
          , published by {e.publishedBy} <Ago at={e.publishedAt} suffix=" ago" />
        </>
      )}
      {e.stale && newest && ' · its inputs have changed since'}
      {e.insisted && ` · insisted on: ${e.insisted}`}
    </span>
  );
}

function WayBack({ edition }: { edition: ShownEdition }) {
  if (edition.wayBack.length === 0) return null;
  return (
    <div className="wrong panel" role="alert">
      <div>
        <strong>This edition would lock the service out</strong>
        <ul>
          {edition.wayBack.map((fault) => (
            <li key={fault.detail}>{fault.detail}</li>
          ))}
        </ul>
      </div>
    </div>
  );
}

function Publish({
  edition,
  wayBack,
  serves,
  onClose,
}: {
  serves: boolean;
  edition: EditionHead;
  wayBack: ShownEdition['wayBack'];
  onClose: () => void;
}) {
  const attempt = useAttempt();
  // A device that serves has its configuration: it boots again only when somebody wants it to.
  const [opening, setOpening] = useState(!serves);
  const [hours, setHours] = useState('72');
  const [reason, setReason] = useState('');
  const unsure = wayBack.length > 0;
  const publish = () =>
    void attempt(async () => {
      await client.call('edition.publish', {
        params: { ref: edition.device, number: String(edition.number) },
        body: { insist: unsure, ...(opening ? { openHours: Number(hours) } : {}) },
        reason: reason.trim() || undefined,
      });
      return `edition ${edition.number} of ${edition.device} is published`;
    }).then((done) => done && onClose());
  return (
    <Modal
      open
      title={`Publish edition ${edition.number} of ${edition.device}?`}
      okText={unsure ? 'Publish all the same' : 'Publish'}
      okButtonProps={{
        danger: unsure,
        disabled: (unsure && reason.trim() === '') || (opening && !(Number(hours) > 0)),
      }}
      onCancel={onClose}
      onOk={publish}
    >
      <Checkbox checked={opening} onChange={(e) => setOpening(e.target.checked)}>
        Open its arrival window for
      </Checkbox>
      <Input
        aria-label="Hours"
        style={{ width: 64 }}
        value={hours}
        disabled={!opening}
        onChange={(e) => setHours(e.target.value)}
      />{' '}
      hours
      {unsure && (
        <p className="hint">
          The way back in is not sure. Whoever insists gives a reason, which is kept with the edition.
        </p>
      )}
      <Input
        style={{ marginTop: 12 }}
        aria-label="Reason"
        placeholder={unsure ? 'Reason' : 'Reason, if you like'}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
    </Modal>
  );
}
