import { createContext, use } from 'react';
import type { Value } from '@zpine/contract/fields';
import type { KindName } from '@zpine/contract/kinds';
import type { AnyRecord } from '@zpine/contract/kind';

export interface Adding {
  kind: KindName;
  preset: Record<string, Value>;
  onSaved: (record: AnyRecord) => void;
}

/** Opens the form for a new record over whatever is open; the shell holds the forms. */
export const AddingContext = createContext<(adding: Adding) => void>(() => undefined);
export const useAdding = (): ((adding: Adding) => void) => use(AddingContext);
