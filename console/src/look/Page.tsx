import { type ReactNode, useEffect } from 'react';
import { Link } from 'react-router';

interface Props {
  title: string;
  /** Set in the face for what a device would see. */
  mono?: boolean;
  /** In one sentence, what matters about the thing. */
  sentence?: ReactNode;
  crumbs?: [string, string | undefined][];
  actions?: ReactNode;
  children: ReactNode;
}

export function Page({ title, mono, sentence, crumbs = [], actions, children }: Props) {
  useEffect(() => {
    document.title = `${title} · Zealous Pine`;
  }, [title]);
  return (
    <main className="page">
      {crumbs.length > 0 && (
        <div className="crumbs">
          {crumbs.map(([words, to], i) => (
            <span key={words}>
              {i > 0 && <span className="sep">/</span>}
              {to ? <Link to={to}>{words}</Link> : words}
            </span>
          ))}
        </div>
      )}
      <div className="titlebar">
        <div>
          <h1 className={mono ? 'mono' : ''}>{title}</h1>
          {sentence && <p className="sentence">{sentence}</p>}
        </div>
        {actions && <div className="actions">{actions}</div>}
      </div>
      {children}
    </main>
  );
}
