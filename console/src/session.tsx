import { createContext, use } from 'react';
import { atLeast, type Role } from '@zpine/contract/roles';

export interface Me {
  name: string;
  title: string | null;
  role: Role;
  organisation: string;
  signOut: () => void;
}

export const MeContext = createContext<Me | null>(null);

export function useMe(): Me {
  const me = use(MeContext);
  if (!me) throw new Error('nobody is signed in here');
  return me;
}

export const useMay = (needed: Role): boolean => atLeast(useMe().role, needed);
