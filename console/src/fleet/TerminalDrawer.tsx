import '@xterm/xterm/css/xterm.css';
import { FitAddon } from '@xterm/addon-fit';
import { Terminal } from '@xterm/xterm';
import { Drawer } from 'antd';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import type { Problem } from '@zpine/contract/errors';

type State = 'opening' | 'open' | { ended: string } | { problem: Problem };

/** Somebody types on a device; what it shows is recorded. */
export default function TerminalDrawer({ device, onClose }: { device: string; onClose: () => void }) {
  // A drawer has its content a little later than itself.
  const [place, setPlace] = useState<HTMLDivElement | null>(null);
  const [state, setState] = useState<State>('opening');
  useEffect(() => {
    if (!place) return undefined;
    const style = getComputedStyle(document.documentElement);
    const terminal = new Terminal({
      cursorBlink: true,
      fontFamily: style.getPropertyValue('--mono') || 'monospace',
      fontSize: 14,
      theme: { background: '#10261f', foreground: '#f3efe4', cursor: '#f0b93a' },
    });
    const fit = new FitAddon();
    terminal.loadAddon(fit);
    terminal.open(place);
    fit.fit();
    const { host, protocol } = window.location;
    const query = new URLSearchParams({ cols: String(terminal.cols), rows: String(terminal.rows) });
    const path = `/api/v1/devices/${encodeURIComponent(device)}/terminal?${query.toString()}`;
    const socket = new WebSocket(`${protocol === 'https:' ? 'wss' : 'ws'}://${host}${path}`);
    socket.binaryType = 'arraybuffer';
    const typed = new TextEncoder();
    const closers = [
      terminal.onData((text) => socket.readyState === WebSocket.OPEN && socket.send(typed.encode(text))),
      terminal.onResize((size) => socket.readyState === WebSocket.OPEN && socket.send(JSON.stringify(size))),
    ];
    let refused = false;
    socket.onopen = () => setState('open');
    socket.onmessage = ({ data }: MessageEvent<ArrayBuffer | string>) => {
      if (typeof data === 'string') {
        refused = true;
        setState(JSON.parse(data) as { problem: Problem });
      } else terminal.write(new Uint8Array(data));
    };
    socket.onclose = ({ reason, code }) => {
      if (!refused)
        setState({ ended: reason || (code === 1006 ? 'the connection to the service broke off' : 'ended') });
    };
    const size = new ResizeObserver(() => fit.fit());
    size.observe(place);
    terminal.focus();
    return () => {
      socket.onclose = null;
      socket.close(1000);
      size.disconnect();
      for (const closer of closers) closer.dispose();
      terminal.dispose();
    };
  }, [device, place]);
  return (
    <Drawer
      open
      onClose={onClose}
      size="large"
      keyboard={false}
      maskClosable={false}
      title={
        <>
          Terminal on <span className="mono">{device}</span>
        </>
      }
      extra={<span className="second">{wordsOf(state)}</span>}
      styles={{ body: { padding: 0, display: 'flex', flexDirection: 'column' } }}
    >
      {typeof state === 'object' && 'problem' in state && (
        <div className="refused" role="alert" style={{ margin: 16 }}>
          {state.problem.detail}. {state.problem.remedy}{' '}
          <Link to={`/fleet?device=${encodeURIComponent(device)}`}>Fleet</Link>
        </div>
      )}
      <div ref={setPlace} style={{ flex: 1, minHeight: 0, padding: 8, background: '#10261f' }} />
    </Drawer>
  );
}

function wordsOf(state: State): string {
  if (state === 'opening') return 'opening …';
  if (state === 'open') return 'what it shows is recorded';
  return 'ended' in state ? state.ended : 'not opened';
}
