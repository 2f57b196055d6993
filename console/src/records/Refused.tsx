import { Link } from 'react-router';
import { problemOf } from '../api.ts';
import { Page } from '../look/Page.tsx';

/** A page that could not be shown, and why. */
export function Refused({ title, error, back }: { title: string; error: unknown; back: string }) {
  const problem = problemOf(error);
  return (
    <Page title={title} sentence={problem.title}>
      <div className="refused" role="alert">
        {problem.detail}
        {problem.remedy && <div className="second">{problem.remedy}</div>}
      </div>
      <Link to={back}>Back to the list</Link>
    </Page>
  );
}
