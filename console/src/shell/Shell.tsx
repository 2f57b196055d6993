import { Modal } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import { Link, Outlet, useLocation } from 'react-router';
import { client, keys } from '../api.ts';
import { Pine } from '../look/Pine.tsx';
import type { Mode } from '../look/theme.ts';
import { AddingHost } from '../records/AddingHost.tsx';
import { kindAt } from '../records/paths.ts';
import { useMe } from '../session.tsx';
import { EarlySearch, type Early } from './EarlySearch.tsx';
import { useKeyboard } from './keyboard.ts';
import { useLive } from './live.ts';
import { sectionOf, sectionOfPage, sections } from './navigation.ts';
import { useRemarks } from './Remarks.tsx';

/** What it takes to propose as one types comes over the line behind the page. */
const Search = lazy(() => import('./Search.tsx'));

export function Shell({ mode, setMode }: { mode: Mode; setMode: (mode: Mode) => void }) {
  const me = useMe();
  const live = useLive();
  const [help, setHelp] = useKeyboard();
  /** On a phone: all places, and not only those that are needed on site. */
  const [more, setMore] = useState(false);
  const { pathname } = useLocation();
  useEffect(() => setMore(false), [pathname]);
  const early = useRef<Early>({ text: '', focused: false });
  useRemarks();
  const counts = useQuery({ queryKey: keys.worked('counts'), queryFn: () => client.call('today.counts') });
  return (
    <div className="shell">
      <aside className={more ? 'side more' : 'side'}>
        <div className="brand">
          <Pine colour="#cfe0d7" />
          <div>
            <strong>Zealous Pine</strong>
            <span>{me.organisation}</span>
          </div>
        </div>
        <button type="button" className="more-places" aria-expanded={more} onClick={() => setMore(!more)}>
          {more ? 'Less' : 'More'}
        </button>
        <Navigation waiting={counts.data?.open ?? 0} arriving={counts.data?.arriving ?? 0} />
        <div className="me">
          <Link to="/account" title="Your password and tokens">
            {me.name} · {me.role}
          </Link>
          <button type="button" onClick={me.signOut}>
            Sign out
          </button>
        </div>
      </aside>
      <div>
        <header className="top">
          <Suspense fallback={<EarlySearch early={early} />}>
            <Search early={early} />
          </Suspense>
          <span className="spacer" />
          <span
            className={live ? 'live' : 'live off'}
            title={live ? 'Changes show as they happen' : 'Not connected: what you see may be old'}
          >
            {live ? 'live' : 'not live'}
          </span>
          <button type="button" className="plain" onClick={() => setMode(mode === 'light' ? 'dark' : 'light')}>
            {mode === 'light' ? 'Dark' : 'Light'}
          </button>
          <button type="button" className="plain" onClick={() => setHelp(true)}>
            Help
          </button>
        </header>
        <AddingHost>
          <Suspense fallback={<main className="page" />}>
            <Outlet />
          </Suspense>
        </AddingHost>
      </div>
      <Modal open={help} onCancel={() => setHelp(false)} footer={null} title="Keys">
        <div className="keys">
          <kbd>/</kbd> <span>Search everything</span>
          {sections.map((section) => (
            <Keys key={section.to} keys={`g ${section.key}`} words={section.title} />
          ))}
          <kbd>?</kbd> <span>This list</span>
        </div>
        <p className="hint" style={{ marginTop: 14 }}>
          The API is described at <a href="/api/openapi.json">/api/openapi.json</a>; the command line is{' '}
          <span className="mono">zpine --help</span>.
        </p>
      </Modal>
    </div>
  );
}

const Keys = ({ keys, words }: { keys: string; words: string }) => (
  <>
    <kbd>{keys}</kbd> <span>{words}</span>
  </>
);

/** What somebody on site needs: at the foot of a phone. */
const onSite = new Set(['/', '/jobs', '/arrivals', '/swaps']);

function Navigation({ waiting, arriving }: { waiting: number; arriving: number }) {
  const me = useMe();
  const [, first = ''] = useLocation().pathname.split('/');
  const kind = kindAt(first);
  const here = (kind ? sectionOf(kind) : sectionOfPage(first))?.to ?? `/${first}`;
  return (
    <nav aria-label="Main">
      {sections
        .filter((section) => !section.admin || me.role === 'admin')
        .map((section) => (
          <Link
            key={section.to}
            to={section.to}
            className={[section.to === here ? 'here' : '', onSite.has(section.to) ? 'on-site' : ''].join(' ').trim()}
            aria-current={section.to === here ? 'page' : undefined}
          >
            {section.title}
            {section.to === '/' && waiting > 0 && <span className="count">{waiting}</span>}
            {section.to === '/arrivals' && arriving > 0 && <span className="count">{arriving}</span>}
          </Link>
        ))}
    </nav>
  );
}
