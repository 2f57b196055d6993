import { Button, Drawer } from 'antd';
import { useEffect, useState, type ReactNode } from 'react';
import type { Client } from '@zpine/contract/client';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from './attempt.tsx';

interface Props<Seen> {
  title: string;
  size?: number;
  /** What is asked for: another value makes what was seen out of date. */
  asked: unknown;
  /** Whether enough is said to look. */
  ready?: boolean;
  /** What would come of it, without doing it. */
  look: () => Promise<Seen>;
  /** Told of a look that was refused; gives the words for it, or nothing for the usual ones. */
  onRefused?: (error: unknown) => string | undefined;
  /** What the button says; nothing where there is nothing to do. */
  doing: (seen: Seen) => string | undefined;
  /** Does it, and says what was done; by a client that saves nothing, it tells what it would do elsewhere. */
  act: (client: Client) => Promise<string>;
  onClose: () => void;
  show: (seen: Seen) => ReactNode;
  children?: ReactNode;
}

/** Look first, then do: a form, what would come of it, and the button that does just that. */
export function LookDrawer<Seen>(props: Props<Seen>) {
  const { title, size = 480, asked, ready = true, look, onRefused, doing, act, onClose, show, children } = props;
  const attempt = useAttempt();
  const [seen, setSeen] = useState<Seen>();
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);
  const text = JSON.stringify(asked);
  useEffect(() => {
    setSeen(undefined);
    setRefused(undefined);
  }, [text]);
  const see = async () => {
    setBusy(true);
    try {
      setSeen(await look());
      setRefused(undefined);
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      setSeen(undefined);
      setRefused(onRefused?.(error) ?? (remedy ? `${detail}; ${remedy}` : detail));
    } finally {
      setBusy(false);
    }
  };
  const go = async () => {
    if (await attempt(() => act(client))) onClose();
  };
  const words = seen === undefined ? undefined : doing(seen);
  return (
    <Drawer
      open
      size={size}
      title={title}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button type={words ? 'default' : 'primary'} loading={busy} disabled={!ready} onClick={() => void see()}>
            Look
          </Button>
          {words && (
            <Button type="primary" onClick={() => void go()}>
              {words}
            </Button>
          )}
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      <form
        className="form"
        onSubmit={(event) => {
          event.preventDefault();
          if (ready) void see();
        }}
      >
        {children}
        <button type="submit" hidden aria-hidden tabIndex={-1} />
      </form>
      {refused && (
        <div className="refused" role="alert">
          {refused}
        </div>
      )}
      {seen !== undefined && show(seen)}
      {words && <Impact write={act} asked={asked} />}
    </Drawer>
  );
}
