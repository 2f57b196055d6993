import { Button, Input } from 'antd';
import { useState } from 'react';
import { client, problemOf } from '../api.ts';
import { Pine } from '../look/Pine.tsx';

export default function SignIn({ organisation, onDone }: { organisation: string; onDone: () => void }) {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [wrong, setWrong] = useState('');
  const [busy, setBusy] = useState(false);
  const send = async () => {
    setBusy(true);
    setWrong('');
    try {
      await client.call('session.open', { body: { name, password } });
      onDone();
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      setWrong(remedy ? `${detail}: ${remedy}` : detail);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="door">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void send();
        }}
      >
        <div className="brand">
          <Pine colour="var(--pine)" />
          <div>
            <strong>Zealous Pine</strong>
            <span>{organisation}</span>
          </div>
        </div>
        <label htmlFor="name">Name</label>
        <Input
          id="name"
          className="mono"
          autoFocus
          autoComplete="username"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <label htmlFor="password">Password</label>
        <Input.Password
          id="password"
          autoComplete="current-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        {wrong && (
          <p className="wrong" role="alert">
            {wrong}
          </p>
        )}
        <Button type="primary" htmlType="submit" block loading={busy} disabled={!name || !password}>
          Sign in
        </Button>
      </form>
    </div>
  );
}
