/** Weakest first: each may do what those before it may. */
export const roles = ['viewer', 'installer', 'engineer', 'admin'] as const;
export type Role = (typeof roles)[number];
export const atLeast = (role: Role, needed: Role): boolean => roles.indexOf(role) >= roles.indexOf(needed);
