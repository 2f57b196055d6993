import { Button, Progress } from 'antd';
import { useQuery } from '@tanstack/react-query';
import type { Upload } from '@zpine/contract/importRoutes';
import { client, problemOf, queries } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { sizeText } from './files.ts';
import { Outcome } from './Outcome.tsx';

const moving = (state: Upload['state'] | undefined): boolean =>
  state === 'waiting' || state === 'reading' || state === 'saving';

const words: Record<Upload['state'], string> = {
  waiting: 'waits for its turn',
  reading: 'is looked at; nothing is saved yet',
  read: 'was read without a fault; nothing is saved yet',
  saving: 'is being saved',
  saved: 'is saved, in one change set',
  refused: 'has faults; nothing was saved',
  cancelled: 'was stopped; nothing was saved',
  failed: 'could not be taken in; nothing was saved',
};

/** A large file on its way: how far it is, what would come of it, and the way to stop it. */
export function LargeImport({ id, onClose }: { id: number; onClose: () => void }) {
  const attempt = useAttempt();
  const params = { id: String(id) };
  const key = ['upload', id];
  const found = useQuery({
    queryKey: key,
    queryFn: () => client.call('import.show', { params }),
    refetchInterval: ({ state }) => (moving(state.data?.state) ? 600 : false),
    staleTime: 0,
  });
  const upload = found.data;
  if (found.isError) return <div className="refused">{problemOf(found.error).detail}</div>;
  if (!upload) return null;
  const again = () => void queries.invalidateQueries({ queryKey: key });
  const save = () =>
    void attempt(async () => {
      await client.call('import.apply', { params });
      again();
      return `${upload.name} is being saved`;
    });
  const stop = () =>
    void attempt(async () => {
      await client.call('import.cancel', { params });
      again();
      return `${upload.name} is stopped`;
    });
  const { outcome } = upload;
  const changes = (outcome?.counts.add ?? 0) + (outcome?.counts.edit ?? 0);
  return (
    <section aria-label="Large file">
      <div className="panel" style={{ marginTop: 14 }}>
        <div className="body">
          <div className="toolbar" style={{ marginBottom: 4 }}>
            <span>
              <span className="mono">{upload.name}</span> {words[upload.state]}
            </span>
            <span className="spacer" />
            {moving(upload.state) && <Button onClick={stop}>Stop</Button>}
            {upload.state === 'read' && changes > 0 && (
              <>
                <Button onClick={stop}>Leave it</Button>
                <Button type="primary" onClick={save}>
                  Save {changes} changes
                </Button>
              </>
            )}
            {['saved', 'refused', 'cancelled', 'failed'].includes(upload.state) && (
              <Button onClick={onClose}>Another file</Button>
            )}
          </div>
          {moving(upload.state) && (
            <>
              <Progress
                percent={Math.floor((100 * upload.bytesDone) / Math.max(1, upload.bytes))}
                size="small"
                showInfo={false}
              />
              <span className="second">
                {sizeText(upload.bytesDone)} of {sizeText(upload.bytes)}, {upload.rowsDone.toLocaleString('en')} rows
              </span>
            </>
          )}
          {upload.encoding !== 'utf-8' && <div className="second">It is not UTF-8, and was read as Windows-1252.</div>}
          {upload.failure && <div className="refused">{upload.failure}</div>}
        </div>
      </div>
      {upload.state === 'read' && changes > 0 && (
        <Impact write={(by) => by.call('import.apply', { params })} asked={upload.id} />
      )}
      {outcome && <Outcome outcome={outcome} saved={upload.state === 'saved'} />}
    </section>
  );
}
