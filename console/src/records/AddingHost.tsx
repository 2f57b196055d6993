import { useState, type ReactNode } from 'react';
import { AddingContext, type Adding } from './adding.ts';
import { LazyRecordDrawer } from './LazyRecordDrawer.tsx';

/** Holds the forms of records that are made in place, one over the other. */
export function AddingHost({ children }: { children: ReactNode }) {
  const [open, setOpen] = useState<Adding[]>([]);
  const close = (one: Adding) => setOpen((before) => before.filter((other) => other !== one));
  return (
    <AddingContext value={(adding) => setOpen((before) => [...before, adding])}>
      {children}
      {open.map((one, i) => (
        <LazyRecordDrawer
          key={i}
          kind={one.kind}
          preset={one.preset}
          onSaved={one.onSaved}
          onClose={() => close(one)}
        />
      ))}
    </AddingContext>
  );
}
