import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { grouped } from '@zpine/core/lists/grouped';
import type { JobHead } from '@zpine/contract/jobRoutes';
import { client, keys, problemOf } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { EmergencySheet } from '../onsite/EmergencySheet.tsx';
import { useMay } from '../session.tsx';

/** What there is to do on site, as somebody sees it on a phone: by site, what waits for a hand first. */
export default function Jobs() {
  const jobs = useQuery({
    queryKey: keys.worked('jobs'),
    queryFn: () => client.call('job.list', { query: {} }),
    refetchInterval: 15_000,
  });
  const engineer = useMay('engineer');
  const items = jobs.data?.items ?? [];
  const sites = grouped(items, ({ site }) => site ?? '');
  return (
    <Page
      title="On site"
      sentence={jobs.data ? (items.length > 0 ? `${items.length} to do.` : 'Nothing waits for a hand just now.') : ''}
    >
      {jobs.isError && <div className="refused">{problemOf(jobs.error).detail}</div>}
      <div className="onsite">
        {[...sites].map(([site, rows]) => (
          <section className="panel" key={site}>
            <h2>
              {rows[0]?.siteTitle ?? (site.toUpperCase() || 'No site')}{' '}
              <span className="second">{site.toUpperCase()}</span>
              <span className="sheet-link">
                {engineer && site !== '' && <EmergencySheet site={site} />}{' '}
                <Link to={`/sheet?site=${encodeURIComponent(site)}`}>Sheets to print</Link>
              </span>
            </h2>
            <ul className="jobs">
              {rows.map((job) => (
                <Job key={job.device} job={job} />
              ))}
            </ul>
          </section>
        ))}
      </div>
    </Page>
  );
}

const Job = ({ job }: { job: JobHead }) => (
  <li className={job.why.replaceAll(' ', '-')}>
    <Link to={`/jobs/${encodeURIComponent(job.device)}`}>
      <b className="mono">{job.device}</b>
      <span>
        {[job.model?.split('/').at(-1)?.toUpperCase(), job.rack, job.positionU === null ? null : `U ${job.positionU}`]
          .filter(Boolean)
          .join(' · ')}
      </span>
      <em>{job.words}</em>
    </Link>
  </li>
);
