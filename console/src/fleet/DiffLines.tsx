/** Lines that came, went or stayed; told by their sign, and by colour beside it. */
export function DiffLines({ lines }: { lines: { sign: ' ' | '+' | '-'; text: string }[] }) {
  return (
    <pre className="panel mono difflines">
      {lines.map(({ sign, text }, i) => (
        <div key={i} className={sign === '+' ? 'came' : sign === '-' ? 'went' : ''}>
          <i aria-hidden={sign === ' '}>{sign}</i>
          {text === '' ? ' ' : text}
        </div>
      ))}
    </pre>
  );
}
