/** How often a property is tried that takes long: the whole with `./run test --whole`, a short form otherwise. */
export const runs = (short: number, whole: number): number => (process.env.ZPINE_WHOLE === '1' ? whole : short);
