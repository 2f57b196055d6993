/** 150 cm as people say it. */
export const metres = (cm: number | null): string => (cm === null ? '' : `${cm / 100} m`);
