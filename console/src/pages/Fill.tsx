/** How full something is: a bar and the number. */
export function Fill({ percent }: { percent: number }) {
  return (
    <span className="fill">
      <span className="bar" aria-hidden>
        <i className={percent >= 90 ? 'high' : ''} style={{ width: `${percent}%` }} />
      </span>
      <span className="num">{percent < 10 ? percent : Math.floor(percent)} %</span>
    </span>
  );
}

/** How full a block is, and which part of that its children have. */
export function TwoPartFill({ percent, given }: { percent: number; given: number }) {
  const words =
    given > 0 ? `${percent} % taken, ${given} % of the whole given to prefixes inside` : `${percent} % taken`;
  return (
    <span className="fill" title={words}>
      <span className="bar" aria-hidden>
        <i className="given" style={{ width: `${given}%` }} />
        <i
          className={given === 0 && percent >= 90 ? 'high' : ''}
          style={{ width: `${Math.max(0, percent - given)}%` }}
        />
      </span>
      <span className="num">{percent < 10 ? percent : Math.floor(percent)} %</span>
    </span>
  );
}
