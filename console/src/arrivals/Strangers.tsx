import { App, Button, Checkbox, Input, Modal } from 'antd';
import { useState } from 'react';
import type { ShownStranger } from '@zpine/contract/onboardingShapes';
import { isTalker, strangerName } from '@zpine/contract/strangerWords';
import { client } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';

/** Booting clients that match no device, each with whom it could be. */
export function Strangers({ items }: { items: ShownStranger[] }) {
  return (
    <div className="panel">
      {items.length > MANY && <DismissAll />}
      {items.map((s) => (
        <StrangerRow key={s.id} stranger={s} />
      ))}
    </div>
  );
}

/** More than that are not looked at one by one. */
const MANY = 5;

/** A flood of made-up clients leaves hundreds; the number is asked for first, since the list shows only the newest. */
function DismissAll() {
  const attempt = useAttempt();
  const { modal } = App.useApp();
  if (!useMay('engineer')) return null;
  const send = (apply: boolean) => client.call('stranger.dismissMany', { body: { apply } });
  const ask = async () => {
    const { count } = await send(false);
    await modal.confirm({
      title: `Take all ${count} strangers off the list?`,
      content: 'Those that are heard of again after a day come back.',
      okText: `Dismiss ${count}`,
      onOk: () => attempt(async () => `${(await send(true)).count} strangers are off the list`),
    });
  };
  return (
    <div className="todo">
      <span />
      <div className="second">
        Many strangers at once are often one client that makes up names, or a wire that nobody declared.
      </div>
      <div className="stack">
        <Button onClick={() => void ask()}>Dismiss all</Button>
      </div>
    </div>
  );
}

function StrangerRow({ stranger: s }: { stranger: ShownStranger }) {
  const attempt = useAttempt();
  const may = useMay('installer');
  const mayDismiss = useMay('engineer');
  const [choosing, setChoosing] = useState(false);
  const [best, ...others] = s.candidates;
  const needsSerial = s.serial === null && s.box === null;
  const recognise = (device: string, serial?: string, keepAddress = false) =>
    attempt(async () => {
      await client.call('stranger.recognise', {
        params: { id: String(s.id) },
        body: { device, keepAddress, ...(serial ? { serial } : {}) },
      });
      return `${serial ?? strangerName(s)} is ${device}`;
    });
  const meet = () =>
    void attempt(async () => {
      await client.call('stranger.meet', { params: { id: String(s.id) }, body: {} });
      return `${strangerName(s)} is being signed in to`;
    });
  const dismiss = () =>
    void attempt(async () => {
      await client.call('stranger.dismiss', { params: { id: String(s.id) }, body: {} });
      return `${strangerName(s)} is off the list`;
    });
  const where = [s.site?.toUpperCase(), s.relay && `relay ${s.relay}`, s.circuit && `port ${s.circuit}`].filter(
    Boolean,
  );
  return (
    <div className="todo stranger">
      <span className={`mark ${s.conflict ? 'failure' : 'attention'}`} aria-hidden />
      <div>
        <div className="what mono">{s.serial ?? 'no serial told'}</div>
        <span className="mono second">{s.mac || s.address}</span>
      </div>
      <div>
        {s.conflict ? (
          <span>{s.conflict}. It gets no answer until the records agree.</span>
        ) : isTalker(s) ? (
          <span>
            Talks at {where.length > 0 ? where.join(', ') : s.prefix}: <span className="mono">{s.says}</span>
          </span>
        ) : (
          <span>
            Boots at {where.length > 0 ? where.join(', ') : 'the wire of the service'}
            {s.vendorClass && (
              <>
                , vendor class <span className="mono">{s.vendorClass}</span>
              </>
            )}
            {s.address && (
              <>
                ; quarantined at <span className="mono">{s.address}</span>
              </>
            )}
            .
          </span>
        )}
        <div className="second">
          {s.box && `It is box ${s.box} of the stock. `}
          {best ? `${best.device}: ${best.why}.` : 'No device of this site waits for hardware.'}
          {others.length > 0 && ` ${others.length} more could be it.`}
        </div>
      </div>
      <span className="when">
        <Ago at={s.lastAt} />
      </span>
      <div className="stack">
        {mayDismiss && isTalker(s) && s.metAt === null && <Button onClick={meet}>See what it is</Button>}
        {may && best && !s.conflict && !needsSerial && (
          <Button type="primary" onClick={() => void recognise(best.device)}>
            Recognise as {best.device}
          </Button>
        )}
        {may && !s.conflict && (
          <Button onClick={() => setChoosing(true)}>{best && !needsSerial ? 'As another' : 'Recognise as …'}</Button>
        )}
        {mayDismiss && <Button onClick={dismiss}>Dismiss</Button>}
      </div>
      {choosing && (
        <Choose
          stranger={s}
          needsSerial={needsSerial}
          onClose={() => setChoosing(false)}
          onChosen={(device, serial, keep) =>
            void recognise(device, serial, keep).then((done) => done && setChoosing(false))
          }
        />
      )}
    </div>
  );
}

interface ChooseProps {
  stranger: ShownStranger;
  needsSerial: boolean;
  onClose: () => void;
  onChosen: (device: string, serial: string | undefined, keepAddress: boolean) => void;
}

function Choose({ stranger, needsSerial, onClose, onChosen }: ChooseProps) {
  const [device, setDevice] = useState<string | null>(stranger.candidates[0]?.device ?? null);
  const [serial, setSerial] = useState('');
  const [keep, setKeep] = useState(false);
  return (
    <Modal
      open
      title={`Which device is ${strangerName(stranger)}?`}
      okText="Recognise"
      okButtonProps={{ disabled: device === null || (needsSerial && serial.trim() === '') }}
      onCancel={onClose}
      onOk={() => device !== null && onChosen(device, serial.trim() || undefined, keep)}
    >
      <label htmlFor="recognise-device">Device</label>
      <RefInput id="recognise-device" kind="device" value={device} onChange={(value) => setDevice(value)} />
      {needsSerial && (
        <>
          <label htmlFor="recognise-serial">Serial, as it stands on the box</label>
          <Input id="recognise-serial" className="mono" value={serial} onChange={(e) => setSerial(e.target.value)} />
        </>
      )}
      {stranger.address !== null && (
        <Checkbox checked={keep} onChange={(event) => setKeep(event.target.checked)} style={{ marginTop: 10 }}>
          It keeps <span className="mono">{stranger.address}</span> as its management address
        </Checkbox>
      )}
      <p className="hint">
        Its box is entered and fitted; a box that was there before becomes faulty. Then it boots through.
      </p>
    </Modal>
  );
}
