/** A length of time in words: `48 s`, `12 min`, `3 h 20 min`. */
export function span(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  if (whole < 120) return `${whole} s`;
  const minutes = Math.round(whole / 60);
  if (minutes < 120) return `${minutes} min`;
  const rest = minutes % 60;
  return rest === 0 ? `${Math.floor(minutes / 60)} h` : `${Math.floor(minutes / 60)} h ${rest} min`;
}
