import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { toString as codeOf } from 'qrcode';
import { useSearchParams } from 'react-router';
import type { ShownJob } from '@zpine/contract/jobRoutes';
import { client, keys, problemOf } from '../api.ts';
import { CableColour } from '../cables/CableColour.tsx';
import { Page } from '../look/Page.tsx';
import { Strip } from '../onsite/Strip.tsx';

const MOST = 60;

/** Sheets to be printed and taken along: one a device, with a code that leads to its page. No secrets stand on them. */
export default function InstallSheet() {
  const [search] = useSearchParams();
  const [device, site] = [search.get('device'), search.get('site')];
  const sheets = useQuery({
    queryKey: keys.worked('sheets', device, site),
    queryFn: async () => {
      const names =
        device !== null
          ? [device]
          : (await client.call('job.list', { query: site === null ? {} : { site } })).items.map((job) => job.device);
      return Promise.all(
        names.slice(0, MOST).map(async (ref) => {
          const job = await client.call('job.show', { params: { ref } });
          const url = `${location.origin}/jobs/${encodeURIComponent(job.device)}`;
          return { job, url, code: await codeOf(url, { type: 'svg', margin: 0 }) };
        }),
      );
    },
  });
  const count = sheets.data?.length ?? 0;
  return (
    <Page
      title="Install sheets"
      sentence={sheets.data ? `${count} ${count === 1 ? 'sheet' : 'sheets'}, a page each.` : ''}
      actions={
        <Button type="primary" disabled={count === 0} onClick={() => window.print()}>
          Print
        </Button>
      }
    >
      {sheets.isError && <div className="refused">{problemOf(sheets.error).detail}</div>}
      {sheets.data?.map(({ job, url, code }) => (
        <Sheet key={job.device} job={job} url={url} code={code} />
      ))}
    </Page>
  );
}

function Sheet({ job, url, code }: { job: ShownJob; url: string; code: string }) {
  const place = [job.siteTitle, job.rack, job.positionU === null ? null : `U ${job.positionU}`, job.strip?.face];
  return (
    <article className="sheet" aria-label={`Sheet of ${job.device}`}>
      <header>
        <div>
          <h2 className="mono">{job.device}</h2>
          <p>{place.filter(Boolean).join(' · ')}</p>
          <p>
            {job.modelTitle ?? job.model} · box <span className="mono">{job.box ?? '________________'}</span>
          </p>
        </div>
        <img
          className="code"
          alt={`Code that leads to ${url}`}
          src={`data:image/svg+xml;utf8,${encodeURIComponent(code)}`}
        />
      </header>
      {job.strip && <Strip strip={job.strip} />}
      <table>
        <thead>
          <tr>
            <th>in</th>
            <th>port</th>
            <th>label</th>
            <th>leads to</th>
            <th>place</th>
            <th>colour</th>
            <th>kind</th>
          </tr>
        </thead>
        <tbody>
          {job.cables.map((cable) => (
            <tr key={cable.port}>
              <td>
                <i className="tick" />
              </td>
              <td className="mono">{cable.port}</td>
              <td className="mono">{cable.marking}</td>
              <td className="mono">{cable.farEnd}</td>
              <td>{cable.farPlace}</td>
              <td>
                <CableColour colour={cable.colour} />
              </td>
              <td>{cable.kind}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <ol>
        <li>
          Put it into its place{job.positionU === null ? '' : `, U ${job.positionU}`}, and plug the cables in by the
          list.
        </li>
        <li>Give it power. It fetches its configuration by itself, restarts, and serves.</li>
        <li>
          Follow it under <span className="mono">{url}</span>, or by the code above.
        </li>
      </ol>
    </article>
  );
}
