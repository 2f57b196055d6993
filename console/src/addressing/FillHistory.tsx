import { countWords } from '@zpine/core/addressing/count';
import type { ReplyOf } from '@zpine/contract/routes';

const WIDTH = 300;
const HEIGHT = 64;

/** How many addresses were free, day by day; between samples it stayed as it was. */
export function FillHistory({ space }: { space: ReplyOf<'prefix.space'> }) {
  const [first] = space.samples;
  const points = space.samples.map(({ day, free }) => ({ at: Date.parse(day), free: Number(free) }));
  const now = { at: Date.now(), free: Number(space.free) };
  const begin = points[0]?.at ?? now.at;
  const most = Math.max(1, ...points.map((point) => point.free), now.free);
  if (!first || now.at - begin < 86_400_000) return null;
  const x = (at: number) => ((at - begin) / (now.at - begin)) * WIDTH;
  const y = (free: number) => HEIGHT - (free / most) * (HEIGHT - 4) - 1;
  const steps = [...points, now].flatMap(({ at, free }, i, all) => {
    const before = all[i - 1];
    return [...(before ? [`${x(at)},${y(before.free)}`] : []), `${x(at)},${y(free)}`];
  });
  return (
    <>
      <dt>Lately</dt>
      <dd>
        <svg
          role="img"
          aria-label={`Free addresses since ${first.day}: ${countWords(first.free)} then, ${countWords(space.free)} now`}
          width={WIDTH}
          height={HEIGHT}
          className="fillhistory"
        >
          <polyline points={steps.join(' ')} />
        </svg>
        <div className="second">
          free since {first.day}: {countWords(first.free)} → {countWords(space.free)}
        </div>
      </dd>
    </>
  );
}
