import { App, Button, Checkbox, Input, Popover } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { View } from '@zpine/contract/findingRoutes';
import type { KindName } from '@zpine/contract/kinds';
import { client, keys, problemOf, queries } from '../api.ts';
import { useMe } from '../session.tsx';

interface Props {
  kind: KindName;
  /** What narrows and sorts the list now. */
  filters: Record<string, string>;
  onShow: (query: Record<string, string>) => void;
}

/** Saved views of a list: yours, those that others share, and the present one under a name. */
export function Views({ kind, filters, onShow }: Props) {
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const [shared, setShared] = useState(false);
  const { message } = App.useApp();
  const me = useMe();
  const found = useQuery({
    queryKey: keys.worked('views', kind),
    queryFn: () => client.call('view.list', { query: { kind } }),
  });
  const views = found.data?.items ?? [];
  const same = (view: View) => JSON.stringify(sorted(view.query)) === JSON.stringify(sorted(filters));
  const here = views.find(same);
  const done = () => void queries.invalidateQueries({ queryKey: keys.worked('views', kind) });
  const attempt = async (work: () => Promise<unknown>) => {
    try {
      await work();
      done();
    } catch (error) {
      void message.error(problemOf(error).detail);
    }
  };
  const save = () =>
    void attempt(async () => {
      await client.call('view.save', { body: { kind, name: name.trim(), shared, query: filters } });
      setName('');
    });
  return (
    <Popover
      open={open}
      onOpenChange={setOpen}
      trigger="click"
      placement="bottomLeft"
      content={
        <div className="views">
          {views.map((view) => (
            <div key={view.id} className="view">
              <Button
                type="text"
                className={same(view) ? 'here' : ''}
                onClick={() => {
                  onShow(view.query);
                  setOpen(false);
                }}
              >
                {view.name}
              </Button>
              <span className="second">
                {view.owner === me.name ? (view.shared ? 'shared' : '') : `by ${view.owner}`}
              </span>
              {(view.owner === me.name || me.role === 'admin') && (
                <Button
                  size="small"
                  type="text"
                  aria-label={`Remove the view ${view.name}`}
                  onClick={() => void attempt(() => client.call('view.remove', { params: { id: String(view.id) } }))}
                >
                  ✕
                </Button>
              )}
            </div>
          ))}
          {views.length === 0 && (
            <div className="second">No views of this list yet. Narrow it, and give that a name.</div>
          )}
          {Object.keys(filters).length > 0 && !here && (
            <form
              className="saving"
              onSubmit={(event) => {
                event.preventDefault();
                if (name.trim()) save();
              }}
            >
              <Input
                placeholder="name of what you see now"
                aria-label="Name of the view"
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
              <Checkbox checked={shared} onChange={(e) => setShared(e.target.checked)}>
                for everybody
              </Checkbox>
              <Button htmlType="submit" disabled={!name.trim()}>
                Save
              </Button>
            </form>
          )}
        </div>
      }
    >
      <Button>{here ? here.name : 'Views'} ▾</Button>
    </Popover>
  );
}

const sorted = (query: Record<string, string>): [string, string][] =>
  Object.entries(query).sort(([a], [b]) => (a < b ? -1 : 1));
