import type { ShownJob } from '@zpine/contract/jobRoutes';

/** The rack as a strip of its numbers: what is taken, and where this device goes. */
export function Strip({ strip }: { strip: NonNullable<ShownJob['strip']> }) {
  const { heightU, own, taken, numbering, face } = strip;
  const numbers = Array.from({ length: heightU }, (_, i) => i + 1);
  // As one stands before it: the top first.
  const fromTop = numbering === 'bottom' ? numbers.toReversed() : numbers;
  const where = own.length === 0 ? 'no U is said' : `U ${own.join(' and ')}, ${face}`;
  return (
    <div className="strip" role="img" aria-label={`Its place in a rack of ${heightU} U: ${where}`}>
      {fromTop.map((n) => (
        <span key={n} className={own.includes(n) ? 'own' : taken.includes(n) ? 'taken' : ''}>
          {n}
        </span>
      ))}
    </div>
  );
}
