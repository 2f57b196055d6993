/** Whether a number is exact. Counting millions takes longer than anybody wants to wait for a list. */
export const countIs = ['exact', 'about', 'at-least'] as const;
export type CountIs = (typeof countIs)[number];

/** `about 3,100,000`, `more than 50,000`. */
export const countText = (count: number, is: CountIs = 'exact'): string =>
  `${{ exact: '', about: 'about ', 'at-least': 'more than ' }[is]}${count.toLocaleString('en')}`;
