import { useState } from 'react';
import { Link } from 'react-router';
import type { ShownEdition } from '@zpine/contract/onboardingShapes';
import { pathOf } from '../records/paths.ts';

type File = ShownEdition['files'][number];

/** A configuration with its parts; the line that is chosen tells where it comes from. */
export function ConfigText({ file }: { file: File }) {
  const [chosen, setChosen] = useState<number>();
  const lines = file.text.replace(/\n$/, '').split('\n');
  const partAt = (n: number) => file.parts.find((s) => s.fromLine === n);
  const trace = chosen === undefined ? undefined : file.trace?.[chosen - 1];
  return (
    <div className="config">
      <div className="panel lines" role="listbox" aria-label={file.name || 'Configuration'}>
        {file.name && <h2 className="mono">{file.name}</h2>}
        {lines.map((line, i) => {
          const n = i + 1;
          const part = partAt(n);
          return (
            <div key={n}>
              {part && (
                <div className="part">
                  {part.name}
                  {!part.owned && ', not ours'}
                </div>
              )}
              <button
                type="button"
                role="option"
                aria-selected={chosen === n}
                className={chosen === n ? 'chosen' : ''}
                onClick={() => setChosen(n)}
              >
                <i>{n}</i>
                <code>{line || ' '}</code>
                <span>{file.trace?.[i]?.line}</span>
              </button>
            </div>
          );
        })}
      </div>
      <div className="panel origin">
        {trace ? (
          <>
            <h2>Line {chosen} comes from</h2>
            <dl className="facts body">
              <dt>Template</dt>
              <dd>
                <Link className="mono" to={`${pathOf('template', trace.template)}?line=${trace.line}`}>
                  {trace.template}
                </Link>
                , line {trace.line}
              </dd>
              {trace.inserts.map((insert) => (
                <div key={`${insert.template} ${insert.line}`} style={{ display: 'contents' }}>
                  <dt>Inserted by</dt>
                  <dd>
                    <span className="mono">{insert.template}</span>, line {insert.line}
                  </dd>
                </div>
              ))}
              {trace.loops.map((loop) => (
                <div key={loop.name} style={{ display: 'contents' }}>
                  <dt>Pass</dt>
                  <dd className="mono">
                    {loop.name} = {loop.value}
                  </dd>
                </div>
              ))}
              {trace.settings.map((s) => (
                <div key={`${s.name} ${s.origin?.kind} ${s.origin?.key}`} style={{ display: 'contents' }}>
                  <dt>Setting</dt>
                  <dd>
                    <Link className="mono" to={pathOf('setting', s.name)}>
                      {s.name}
                    </Link>
                    , {s.origin ? [s.origin.kind, s.origin.key].filter(Boolean).join(' ') : 'its default'}
                  </dd>
                </div>
              ))}
            </dl>
          </>
        ) : (
          <div className="body second">
            Choose a line to see the template line, the loop and the settings that it comes from.
          </div>
        )}
      </div>
    </div>
  );
}
