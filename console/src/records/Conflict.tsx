import { Button } from 'antd';
import type { Problem } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import { type AnyRecord, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { Cell } from './Cell.tsx';

interface Props {
  kind: KindDescription;
  problem: Problem;
  onTake: (field: string, value: Value) => void;
  onGoOn: (current: AnyRecord) => void;
}

/** Somebody else saved meanwhile: what they changed, to take or to overrule, field by field. */
export function Conflict({ kind, problem, onTake, onGoOn }: Props) {
  const current = problem.current as AnyRecord;
  const seen = (problem as { seen?: AnyRecord | null }).seen ?? null;
  const theirs = fieldsOf(kind).filter(
    ([name]) => seen && JSON.stringify(seen[name]) !== JSON.stringify(current[name]),
  );
  return (
    <div className="conflict" role="alert">
      <strong>Changed meanwhile.</strong> You had version {problem.yours}, it is at version {current.version} now.
      <table>
        <tbody>
          {theirs.map(([name, field]) => (
            <tr key={name}>
              <td className="second">{field.title}</td>
              <td>
                <Cell name={name} field={field} value={current[name] ?? null} />
              </td>
              <td>
                <Button size="small" onClick={() => onTake(name, current[name] ?? null)}>
                  Take theirs
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Button size="small" style={{ marginTop: 8 }} onClick={() => onGoOn(current)}>
        Go on from version {current.version}
      </Button>
    </div>
  );
}
