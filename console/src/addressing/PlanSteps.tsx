import { Fragment } from 'react';
import { readRecipe } from '@zpine/core/addressing/recipe';
import { stepWords } from '@zpine/core/addressing/recipeWords';

/** The steps of a site plan, in words. */
export default function PlanSteps({ steps }: { steps: unknown }) {
  const read = readRecipe(steps);
  return (
    <>
      <h2 className="section-title">
        Steps <span className="second">{read.steps.length}</span>
      </h2>
      <ol className="panel plansteps">
        {read.steps.map((step, i) => {
          const { title, lines } = stepWords(step);
          return (
            <li key={i}>
              <strong>{title}</strong>
              {lines.map((line) => (
                <Fragment key={line}>
                  <br />
                  <span className="mono second">{line}</span>
                </Fragment>
              ))}
            </li>
          );
        })}
      </ol>
    </>
  );
}
