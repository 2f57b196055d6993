/** What a device lacks, or left behind at another site, each with its remedy. */
import { doubts } from '@zpine/contract/doctorRoutes';
import { type ReplyOf } from '@zpine/contract/routes';

export function Lacks({ lacks }: { lacks: ReplyOf<'device.overview'>['lacks'] }) {
  if (lacks.length === 0) return null;
  return (
    <section aria-label="What is missing">
      <h2 className="section-title">Missing</h2>
      <table className="plain-table">
        <tbody>
          {lacks.map(({ lack, detail, remedy }) => (
            <tr key={`${lack} ${detail}`} title={doubts[lack]}>
              <td>{detail}</td>
              <td className="mono second">{remedy}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
