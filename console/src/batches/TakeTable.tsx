import { Button, Input, Table, Upload } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import { download, textOf } from '../imports/files.ts';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { useAttempt } from '../look/attempt.tsx';

/** A table with a row a switch: pasted, or a file; what comes of it is shown before it is saved. */
export function TakeTable({ batch, onClose }: { batch: string; onClose: () => void }) {
  const [text, setText] = useState('');
  const attempt = useAttempt();
  const params = { ref: batch };
  const form = () =>
    attempt(async () => {
      const made = await client.call('batch.form', { params });
      download(made.name, made.text);
      return `${made.name}: ${made.rows} rows`;
    });
  return (
    <LookDrawer
      title={`Table of ${batch}`}
      asked={{ text }}
      look={() =>
        text.trim() === ''
          ? Promise.resolve({ applied: false, rows: 0, items: [], faults: [] })
          : client.call('batch.table', { params, body: { text, apply: false } })
      }
      doing={({ items, faults }) =>
        faults.length > 0 || items.length === 0 ? undefined : `Save ${items.length} row${items.length === 1 ? '' : 's'}`
      }
      act={async (by) => {
        const done = await by.call('batch.table', { params, body: { text, apply: true } });
        if (!done.applied) throw new Error(done.faults[0]?.detail ?? 'nothing was saved');
        return `saved ${done.items.length} rows`;
      }}
      onClose={onClose}
      show={({ items, faults }) => (
        <>
          {faults.map((fault) => (
            <div className="refused" key={`${fault.row} ${fault.column ?? ''} ${fault.detail}`}>
              row {fault.row}
              {fault.column !== null && `, ${fault.column}`}: {fault.detail}
              {fault.remedy !== null && `; ${fault.remedy}`}
            </div>
          ))}
          {items.length > 0 && (
            <Table
              size="small"
              rowKey="row"
              dataSource={items}
              pagination={{ pageSize: 15, hideOnSinglePage: true, showSizeChanger: false }}
              columns={[
                { title: 'Row', dataIndex: 'row', align: 'right' },
                { title: 'Device', render: (_, one) => <span className="mono">{one.device}</span> },
                { title: '', dataIndex: 'action' },
                { title: 'Box', render: (_, one) => <span className="mono">{one.box}</span> },
                { title: 'Address', render: (_, one) => <span className="mono">{one.address}</span> },
                { title: 'Worked out', render: (_, one) => Object.keys(one.workedOut).join(', ') },
              ]}
            />
          )}
        </>
      )}
    >
      <div style={{ display: 'flex', gap: 8, marginBottom: 8 }}>
        <Button onClick={() => void form()}>Its form to fill in</Button>
        <Upload
          accept=".csv,.txt,text/csv"
          showUploadList={false}
          beforeUpload={(file) => {
            void textOf(file).then(setText);
            return false;
          }}
        >
          <Button>Choose a file</Button>
        </Upload>
      </div>
      <label htmlFor="batch-table">Table</label>
      <Input.TextArea
        id="batch-table"
        className="mono"
        rows={8}
        value={text}
        placeholder="serial,mac,name,duty,model,site,rack,positionU,address"
        onChange={(event) => setText(event.target.value)}
      />
    </LookDrawer>
  );
}
