import { Button, Select } from 'antd';
import type { Spot } from './RackDrawing.tsx';

type FreeProps = {
  spot: Spot;
  unplaced: string[];
  onPut: (device: string) => void;
  onAdd: ((kind: 'device' | 'filler') => void) | undefined;
};

/** A chosen U where nothing stands, and what could. */
export function Free({ spot, unplaced, onPut, onAdd }: FreeProps) {
  return (
    <section className="panel" aria-label="Free U">
      <h2>
        U {spot.u}, {spot.face}
      </h2>
      <div className="body form">
        {unplaced.length > 0 && (
          <Select
            aria-label="Put here"
            style={{ width: '100%', marginBottom: 10 }}
            showSearch
            placeholder="put a device here"
            value={null}
            options={unplaced.map((key) => ({ value: key, label: key }))}
            onChange={(device: string | null) => device !== null && onPut(device)}
          />
        )}
        {onAdd ? (
          <div style={{ display: 'flex', gap: 8, flexWrap: 'wrap' }}>
            <Button onClick={() => onAdd('device')}>Declare a device</Button>
            <Button onClick={() => onAdd('filler')}>Cover or reserve</Button>
          </div>
        ) : (
          <span className="second">Nothing stands here.</span>
        )}
      </div>
    </section>
  );
}
