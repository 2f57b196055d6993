/** With its article: an owner, a use, a VLAN. */
export const withArticle = (title: string): string => `${/^[aeio]/i.test(title) ? 'an' : 'a'} ${title}`;

/** A kind's title inside a sentence: capitals stay where they are an abbreviation. */
export const inSentence = (title: string): string => (/^[A-Z]{2}/.test(title) ? title : title.toLowerCase());
