import { fromBottom, slotsOf, type Face } from '@zpine/core/rack/occupancy';
import { stages } from '@zpine/contract/kinds/devices';
import type { ReplyOf } from '@zpine/contract/routes';

export type Drawing = ReplyOf<'rack.drawing'>;
export type Item = Drawing['items'][number];
export type ColourBy = 'stage' | 'duty' | 'owner';

export interface Spot {
  u: number;
  face: Face;
}

interface Props {
  drawing: Drawing;
  face: Face;
  by: ColourBy;
  /** The groups of the legend, in its order. */
  groups: string[];
  picked: string | Spot | undefined;
  onPick: (what: string | Spot) => void;
  /** A device was dropped here; left out for those who may only look. */
  onDrop: ((device: string, spot: Spot) => void) | undefined;
}

/** Signs that tell groups apart where a colour alone would not. */
export const tagOf = (groups: string[], group: string): string =>
  String.fromCharCode(65 + (groups.indexOf(group) % 26));

export const groupOf = (item: Item, by: ColourBy): string => item[by] ?? 'none';

/** One face of a rack, to scale: U by U, what is mounted filled, what is seen from behind in outline. */
export function RackDrawing({ drawing, face, by, groups, picked, onPick, onDrop }: Props) {
  const { heightU } = drawing;
  const scale = Math.max(13, Math.min(30, Math.floor(580 / heightU)));
  const shown = drawing.items.filter((item) => item.face === face || item.depth === 'full');
  const numbers = Array.from({ length: heightU }, (_, i) => fromBottom(drawing, heightU - i));
  const every = heightU <= 15 ? 1 : 5;
  return (
    <figure className="rack" aria-label={face === 'front' ? 'Front' : 'Rear'}>
      <figcaption>{face === 'front' ? 'Front' : 'Rear'}</figcaption>
      <div className="frame" style={{ height: heightU * scale }}>
        {numbers.map((number) => {
          const here = typeof picked === 'object' && picked.u === number && picked.face === face;
          const spot = { u: number, face };
          return (
            <button
              key={number}
              type="button"
              className={here ? 'u here' : 'u'}
              style={{ height: scale }}
              aria-label={`U ${number} ${face}`}
              onClick={() => onPick(spot)}
              onDragOver={(event) => onDrop && event.preventDefault()}
              onDrop={(event) => {
                event.preventDefault();
                const device = event.dataTransfer.getData('text/plain');
                if (device) onDrop?.(device, spot);
              }}
            >
              {(number % every === 0 || number === 1 || number === heightU) && <span className="number">{number}</span>}
            </button>
          );
        })}
        {shown.map((item) => (
          <Thing
            key={`${item.kind} ${item.key}`}
            {...{ item, drawing, face, by, groups, scale, onPick }}
            here={picked === `${item.kind} ${item.key}`}
          />
        ))}
      </div>
    </figure>
  );
}

interface ThingProps extends Pick<Props, 'drawing' | 'face' | 'by' | 'groups' | 'onPick'> {
  item: Item;
  scale: number;
  here: boolean;
}

function Thing({ item, drawing, face, by, groups, scale, here, onPick }: ThingProps) {
  const slots = slotsOf(drawing, item);
  if (slots.length === 0) return null;
  const top = Math.max(...slots.map((slot) => slot.u));
  const mounted = item.face === face;
  // From behind, left is right.
  const left = item.width === 'half' && (item.side === 'left') === (face === 'front');
  const group = groupOf(item, by);
  const look =
    item.kind === 'filler'
      ? `filler ${item.form}`
      : by === 'stage'
        ? `by-${item.stage}`
        : `group-${groups.indexOf(group) % 6}`;
  const model = item.model?.split('/').at(-1)?.toUpperCase();
  const mark = by === 'stage' ? (stages as Record<string, string>)[item.stage ?? ''] : tagOf(groups, group);
  return (
    <button
      type="button"
      draggable={item.kind === 'device'}
      className={['thing', look, mounted ? '' : 'behind', here ? 'here' : ''].join(' ')}
      style={{
        top: (drawing.heightU - top) * scale,
        height: item.heightU * scale - 1,
        fontSize: Math.min(12, scale - 2),
        ...(item.width === 'half' ? (left ? { right: '50%' } : { left: '50%' }) : {}),
      }}
      title={[item.words || item.form, model, `U ${item.positionU}`].filter(Boolean).join(' · ')}
      onClick={() => onPick(`${item.kind} ${item.key}`)}
      onDragStart={(event) => event.dataTransfer.setData('text/plain', item.key)}
    >
      {item.kind === 'device' && <i aria-hidden>{mark}</i>}
      <span>
        {item.kind === 'filler' ? [item.form?.replace('-', ' '), item.words].filter(Boolean).join(' · ') : item.words}
      </span>
      {mounted && item.heightU > 1 && model && <small>{model}</small>}
    </button>
  );
}
