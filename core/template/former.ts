/** The language as it was once written; old texts come back from history and are read by today's words. */

/** `@section` and `@end section` of earlier templates are `@part` and `@end part`. */
export const withTodaysDirectives = (source: string): string =>
  source.replace(/^([ \t]*)@section\b/gm, '$1@part').replace(/^([ \t]*@end[ \t]+)section\b/gm, '$1part');
