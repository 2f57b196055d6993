/** What a device lacks, or left behind at another site, each with its remedy. */
import { matters } from '@zpine/contract/matters';
import type { ReplyOf } from '@zpine/contract/routes';

export function Lacks({ lacks }: { lacks: ReplyOf<'device.overview'>['lacks'] }) {
  if (lacks.length === 0) return null;
  return (
    <section aria-label="What is missing">
      <h2 className="section-title">Missing</h2>
      <table className="plain-table">
        <tbody>
          {lacks.map(({ lack, detail, remedy }) => (
            <tr key={`${lack} ${detail}`} title={matters[lack].title}>
              <td>{detail}</td>
              <td className="mono second">{remedy}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
