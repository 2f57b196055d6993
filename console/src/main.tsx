import '@fontsource-variable/atkinson-hyperlegible-next';
import '@fontsource-variable/atkinson-hyperlegible-mono';
import './look/look.css';
import { QueryClientProvider, useQuery } from '@tanstack/react-query';
import { App as AntApp, ConfigProvider } from 'antd';
import { lazy, StrictMode, Suspense, useEffect, useMemo, useState } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { RefusedError } from '@zpine/contract/client';
import { client, queries } from './api.ts';
import { themeOf, type Mode } from './look/theme.ts';
import { MeContext, type Me } from './session.tsx';
import { Shell } from './shell/Shell.tsx';
import { Today } from './pages/Today.tsx';

const SignIn = lazy(() => import('./shell/SignIn.tsx'));
const Account = lazy(() => import('./pages/Account.tsx'));
const Admin = lazy(() => import('./pages/Admin.tsx'));
const Arrivals = lazy(() => import('./pages/Arrivals.tsx'));
const History = lazy(() => import('./pages/History.tsx'));
const Import = lazy(() => import('./pages/Import.tsx'));
const Lookup = lazy(() => import('./pages/Lookup.tsx'));
const Names = lazy(() => import('./pages/Names.tsx'));
const Doctor = lazy(() => import('./pages/Doctor.tsx'));
const Fleet = lazy(() => import('./pages/Fleet.tsx'));
const Checks = lazy(() => import('./pages/Checks.tsx'));
const Drift = lazy(() => import('./pages/Drift.tsx'));
const Run = lazy(() => import('./pages/Run.tsx'));
const Captures = lazy(() => import('./pages/Captures.tsx'));
const CapturePage = lazy(() => import('./pages/Captures.tsx').then((page) => ({ default: page.CapturePage })));
const Jobs = lazy(() => import('./pages/Jobs.tsx'));
const Job = lazy(() => import('./pages/Job.tsx'));
const InstallSheet = lazy(() => import('./pages/InstallSheet.tsx'));
const Swaps = lazy(() => import('./pages/Swaps.tsx'));
const Swap = lazy(() => import('./pages/Swap.tsx'));
const Live = lazy(() => import('./pages/Live.tsx'));
const Watch = lazy(() => import('./pages/Watch.tsx'));
/** Lists and pages of kinds come with what the console has of each kind; the first page does without it. */
const ofKinds = <K extends 'Lost' | 'ListRoute' | 'RecordRoute'>(name: K) =>
  lazy(() => import('./records/KindRoutes.tsx').then((routes) => ({ default: routes[name] })));
const Lost = ofKinds('Lost');
const ListRoute = ofKinds('ListRoute');
const RecordRoute = ofKinds('RecordRoute');

const MODE = 'zealous-pine-mode';
const startMode = (): Mode => {
  const kept = localStorage.getItem(MODE);
  if (kept === 'light' || kept === 'dark') return kept;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
};

function Console() {
  const [mode, setMode] = useState<Mode>(startMode);
  useEffect(() => {
    document.documentElement.dataset.mode = mode;
    localStorage.setItem(MODE, mode);
  }, [mode]);
  const theme = useMemo(() => themeOf(mode, matchMedia('(prefers-reduced-motion: reduce)').matches), [mode]);
  return (
    <ConfigProvider theme={theme}>
      <AntApp>
        <Inside mode={mode} setMode={setMode} />
      </AntApp>
    </ConfigProvider>
  );
}

function Inside({ mode, setMode }: { mode: Mode; setMode: (mode: Mode) => void }) {
  const about = useQuery({
    queryKey: ['about'],
    queryFn: async () => (await client.send('GET', '/api/v1/about')) as { organisation: string },
  });
  const session = useQuery({ queryKey: ['session'], queryFn: () => client.call('session.show'), retry: false });
  const organisation = about.data?.organisation ?? '';
  useEffect(() => {
    // Whoever's sign-in ran out is brought back to the door, wherever they were.
    return queries.getQueryCache().subscribe(({ query }) => {
      const error: unknown = query.state.error;
      const key: unknown = query.queryKey;
      const isOfSession = Array.isArray(key) && key[0] === 'session';
      if (!isOfSession && error instanceof RefusedError && error.problem.status === 401) {
        void queries.resetQueries({ queryKey: ['session'] });
      }
    });
  }, []);
  if (session.isPending) return null;
  if (!session.data) {
    return (
      <Suspense fallback={null}>
        <SignIn organisation={organisation} onDone={() => void queries.resetQueries()} />
      </Suspense>
    );
  }
  const me: Me = {
    name: session.data.name,
    title: session.data.title,
    role: session.data.role,
    organisation,
    signOut: () => void client.call('session.close').then(() => queries.resetQueries()),
  };
  return (
    <MeContext value={me}>
      <BrowserRouter>
        <Routes>
          <Route element={<Shell mode={mode} setMode={setMode} />}>
            <Route index element={<Today />} />
            <Route path="arrivals" element={<Arrivals />} />
            <Route path="import" element={<Import />} />
            <Route path="lookup" element={<Lookup />} />
            <Route path="names" element={<Names />} />
            <Route path="doubts" element={<Doctor />} />
            <Route path="fleet" element={<Fleet />} />
            <Route path="drift" element={<Drift />} />
            <Route path="checked" element={<Checks />} />
            <Route path="fleet/:id" element={<Run />} />
            <Route path="captures" element={<Captures />} />
            <Route path="captures/:id" element={<CapturePage />} />
            <Route path="jobs" element={<Jobs />} />
            <Route path="jobs/:device" element={<Job />} />
            <Route path="sheet" element={<InstallSheet />} />
            <Route path="swaps" element={<Swaps />} />
            <Route path="swaps/:id" element={<Swap />} />
            <Route path="live" element={<Live />} />
            <Route path="watch" element={<Watch />} />
            <Route path="history" element={<History />} />
            <Route path="account" element={<Account />} />
            <Route path="admin" element={me.role === 'admin' ? <Admin /> : <Navigate to="/" />} />
            <Route path=":path" element={<ListRoute />} />
            <Route path=":path/:key" element={<RecordRoute />} />
            <Route path="*" element={<Lost />} />
          </Route>
        </Routes>
      </BrowserRouter>
    </MeContext>
  );
}

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Console />
      </QueryClientProvider>
    </StrictMode>,
  );
}
