import { cableColours } from '@zpine/core/rack/ports';

/** A colour as it is drawn, and its name: nobody has to see it. */
export function CableColour({ colour }: { colour: string | null }) {
  if (colour === null) return null;
  const drawn = Object.entries(cableColours).find(([name]) => name === colour)?.[1];
  return (
    <span className="nowrap">
      <span className="cord" style={{ background: drawn }} /> {colour}
    </span>
  );
}
