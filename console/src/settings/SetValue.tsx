import { Input, Modal, Segmented, Select } from 'antd';
import { useState } from 'react';
import {
  layerKinds,
  modes,
  valueFromText,
  type LayerKind,
  type Mode,
  type SettingType,
} from '@zpine/core/settings/layers';
import { client } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';

interface Props {
  setting: string;
  valueType: string;
  secret: boolean;
  layer?: { layer: LayerKind; of: string };
  /** DHCP tells it: a prefix and a boot profile have a say in it, too. */
  told?: boolean;
  onClose: () => void;
}

const hints: Record<string, string> = {
  'list-of-text': 'Several with commas',
  'list-of-addresses': 'Several with commas: 10.77.0.5, 10.77.0.6',
  map: 'NAME=VALUE, several with commas',
  bool: 'yes or no',
};

/** Gives a setting a value in a layer. */
export function SetValue({ setting, valueType, secret, layer: given, told = false, onClose }: Props) {
  const attempt = useAttempt();
  const [layer, setLayer] = useState<LayerKind>(given?.layer ?? 'everywhere');
  const [of, setOf] = useState<string | null>(given?.of ?? null);
  const [mode, setMode] = useState<Mode>('set');
  const [text, setText] = useState('');
  const several = valueType === 'map' || valueType.startsWith('list-');
  const ready = text !== '' && (layer === 'everywhere' || of !== null);
  const send = (by = client) => {
    const value = valueFromText(valueType as SettingType, mode, text);
    const place = { layer, ...(layer === 'everywhere' || of === null ? {} : { of }) };
    return by.call('value.put', { body: { setting, ...place, mode, value } });
  };
  const save = () =>
    void attempt(async () => {
      await send();
      return `${setting} is set on ${layer}${of && layer !== 'everywhere' ? ` ${of}` : ''}`;
    }).then((done) => done && onClose());
  return (
    <Modal
      open
      title={`Set ${setting}`}
      okText="Set"
      okButtonProps={{ disabled: !ready }}
      onCancel={onClose}
      onOk={save}
    >
      <div className="form">
        {!given && (
          <>
            <label htmlFor="value-layer">Layer</label>
            <Select
              id="value-layer"
              value={layer}
              onChange={(next: LayerKind) => {
                setLayer(next);
                setOf(null);
              }}
              options={layerKinds
                .filter((kind) => told || (kind !== 'prefix' && kind !== 'bootprofile'))
                .map((kind) => ({ value: kind, label: kind === 'bootprofile' ? 'boot profile' : kind }))}
            />
            {layer !== 'everywhere' && (
              <>
                <label htmlFor="value-of">Which {layer}</label>
                <RefInput key={layer} id="value-of" kind={layer} value={of} onChange={(next) => setOf(next)} />
              </>
            )}
          </>
        )}
        {several && (
          <>
            <label>What it does to weaker layers</label>
            <Segmented value={mode} onChange={(next) => setMode(next)} options={[...modes]} />
          </>
        )}
        <label htmlFor="value-text">Value</label>
        {valueType === 'text' && !secret ? (
          <Input.TextArea
            id="value-text"
            className="mono"
            autoSize={{ minRows: 1, maxRows: 8 }}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        ) : (
          <Input
            id="value-text"
            className="mono"
            type={secret ? 'password' : 'text'}
            autoComplete="off"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
        {hints[valueType] && <p className="hint">{hints[valueType]}</p>}
        {secret && <p className="hint">It is sealed, and shown to nobody afterwards.</p>}
      </div>
      {ready && <Impact write={send} asked={[layer, of, mode, text]} />}
    </Modal>
  );
}
