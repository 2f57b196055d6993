import { App, Button, Checkbox, Input, Modal } from 'antd';
import { useState } from 'react';
import type { ShownStranger } from '@zpine/contract/onboardingShapes';
import { isTalker, strangerName } from '@zpine/contract/strangerWords';
import { client, problemOf } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';
import { asSentence } from './Track.tsx';

/** Booting clients that match no device, each with whom it could be. They keep their places, whoever was heard last. */
export function Strangers({ items }: { items: ShownStranger[] }) {
  return (
    <div className="panel">
      {items.length > MANY && <DismissAll />}
      {items
        .toSorted((a, b) => b.id - a.id)
        .map((s) => (
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
  const [choosing, setChoosing] = useState<Choice>();
  const [best, ...others] = s.candidates;
  const needsSerial = s.serial === null && s.box === null && s.mac === '';
  const offerWindow = useOfferWindow();
  const recognise = async (device: string, more: Partial<Chosen> = {}): Promise<void> => {
    const { serial, keepAddress = false, reason } = more;
    let contradicts: string | undefined;
    const done = await attempt(async () => {
      try {
        const { windowOpen } = await client.call('stranger.recognise', {
          params: { id: String(s.id) },
          body: { device, keepAddress, ...(serial ? { serial } : {}) },
          reason,
        });
        if (windowOpen === false) offerWindow(device);
        return `${serial ?? strangerName(s)} is ${device}`;
      } catch (error) {
        const { code, detail } = problemOf(error);
        if (code === 'stranger-contradicts' || code === 'box-unfit') contradicts = detail;
        throw error;
      }
    });
    if (done) setChoosing(undefined);
    else if (contradicts !== undefined) setChoosing({ device, contradicts });
  };
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
          <span>{asSentence(s.conflict)} It gets no answer until the records agree.</span>
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
          {s.box &&
            `It is box ${s.box}, ${s.boxOf ? `the hardware of ${s.boxOf}` : s.boxIs === 'stock' ? 'in stock' : `${s.boxIs ?? ''}, fitted nowhere`}. `}
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
        {may && (
          <Button
            onClick={() => setChoosing({ device: best?.device ?? s.boxOf, contradicts: s.conflict ?? undefined })}
          >
            {best && !needsSerial && !s.conflict ? 'As another' : 'Recognise as …'}
          </Button>
        )}
        {mayDismiss && <Button onClick={dismiss}>Dismiss</Button>}
      </div>
      {choosing && (
        <Choose
          key={choosing.contradicts}
          stranger={s}
          choice={choosing}
          needsSerial={needsSerial}
          onClose={() => setChoosing(undefined)}
          onChosen={({ device, ...more }) => void recognise(device, more)}
        />
      )}
    </div>
  );
}

/** Without an open window what was recognised asks for its file in vain. */
function useOfferWindow(): (device: string) => void {
  const { modal } = App.useApp();
  const attempt = useAttempt();
  const open = (device: string) =>
    attempt(async () => {
      await client.call('arrival.open', { params: { ref: device }, body: { hours: 2 } });
      return `${device} may fetch its files for two hours`;
    });
  return (device) =>
    void modal.confirm({
      title: `Open the arrival window of ${device}?`,
      content: 'It is closed: the box asks for its file and is given none.',
      okText: 'Open it for two hours',
      cancelText: 'Leave it closed',
      onOk: () => open(device),
    });
}

/** Whom it is taken for so far, and what speaks against that. */
interface Choice {
  device: string | null | undefined;
  contradicts?: string | undefined;
}

interface Chosen {
  device: string;
  serial: string | undefined;
  keepAddress: boolean;
  reason: string | undefined;
}

interface ChooseProps {
  stranger: ShownStranger;
  choice: Choice;
  needsSerial: boolean;
  onClose: () => void;
  onChosen: (chosen: Chosen) => void;
}

function Choose({ stranger, choice, needsSerial, onClose, onChosen }: ChooseProps) {
  const [device, setDevice] = useState<string | null>(choice.device ?? null);
  const [serial, setSerial] = useState('');
  const [reason, setReason] = useState('');
  const [keepAddress, setKeep] = useState(false);
  const needsReason = choice.contradicts !== undefined;
  const chosen = { serial: serial.trim() || undefined, keepAddress, reason: reason.trim() || undefined };
  return (
    <Modal
      open
      title={`Which device is ${strangerName(stranger)}?`}
      okText="Recognise"
      okButtonProps={{
        disabled: device === null || (needsSerial && !chosen.serial) || (needsReason && !chosen.reason),
      }}
      onCancel={onClose}
      onOk={() => device !== null && onChosen({ device, ...chosen })}
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
        <Checkbox checked={keepAddress} onChange={(event) => setKeep(event.target.checked)} style={{ marginTop: 10 }}>
          It keeps <span className="mono">{stranger.address}</span> as its management address
        </Checkbox>
      )}
      {needsReason && (
        <>
          <p role="alert" style={{ margin: '12px 0', fontWeight: 600 }}>
            {asSentence(choice.contradicts ?? '')}
          </p>
          <label htmlFor="recognise-reason">Why it is right all the same</label>
          <Input id="recognise-reason" value={reason} onChange={(e) => setReason(e.target.value)} />
        </>
      )}
      <p className="hint">
        Its box is entered and fitted; a box that was there before becomes faulty. Then it boots through.
      </p>
    </Modal>
  );
}
