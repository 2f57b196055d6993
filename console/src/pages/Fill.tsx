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
