import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { CableEnd } from '@zpine/contract/hardwareRoutes';
import type { ReplyOf } from '@zpine/contract/routes';
import { cableColours } from '@zpine/core/rack/ports';
import { client, keys } from '../api.ts';
import { pathOf } from '../records/paths.ts';
import { metres } from './words.ts';

type Hop = ReplyOf<'port.trace'>['hops'][number];

const endings: Record<ReplyOf<'port.trace'>['ends'], string> = {
  port: '',
  words: 'What is there is not ours.',
  open: 'It ends in a panel that nothing goes on from.',
  circle: 'It comes back to where it was: panels are joined in a circle.',
  none: 'No cable is plugged in here.',
};

/** The way of a cable, from end to end, drawn as a line with stops. */
export default function Trace({ port }: { port: string }) {
  const found = useQuery({
    queryKey: keys.worked('trace', port),
    queryFn: () => client.call('port.trace', { params: { ref: port } }),
  });
  if (!found.data) return null;
  const { from, hops, ends, lengthCm } = found.data;
  return (
    <div className="panel">
      <h2>
        Where it leads
        {lengthCm !== null && hops.length > 1 && <span className="second"> · {metres(lengthCm)} in all</span>}
      </h2>
      <div className="body">
        {hops.length > 0 && (
          <ol className="way">
            <li>
              <End end={from} />
            </li>
            {hops.map((hop) => (
              <li key={`${hop.cable} ${hop.to.words}`}>
                <Cord hop={hop} />
                <End end={hop.to} />
              </li>
            ))}
          </ol>
        )}
        {endings[ends] && <p className="second">{endings[ends]}</p>}
      </div>
    </div>
  );
}

const Cord = ({ hop }: { hop: Hop }) => {
  const drawn = Object.entries(cableColours).find(([name]) => name === hop.colour)?.[1];
  const words = [hop.kind, hop.colour, metres(hop.lengthCm), hop.marking].filter(Boolean).join(' · ');
  return (
    <Link className="cordline" to={pathOf('cable', hop.cable)} title={`cable ${hop.cable}`}>
      <i style={drawn ? { background: drawn } : {}} />
      <span>{words || 'cable'}</span>
    </Link>
  );
};

/** A port with its device and place, or what stands in words. */
export function End({ end }: { end: CableEnd }) {
  if (end.port === null) return <span>{end.words}</span>;
  return (
    <span>
      <Link className="mono" to={pathOf('port', end.port)}>
        {end.port}
      </Link>{' '}
      {end.place && <span className="second">{end.place}</span>}
    </span>
  );
}
