import { Button } from 'antd';
import { lazy, Suspense, useState } from 'react';
import { joined, type Extras } from './extras.ts';

const Page = lazy(() => import('../pages/Rack.tsx'));
const FillRacks = lazy(() => import('../racks/FillRacks.tsx'));

function Fill({ refs, onDone }: { refs: string[]; onDone: () => void }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Fill them …</Button>
      {open && (
        <Suspense fallback={null}>
          <FillRacks
            racks={refs}
            onClose={() => setOpen(false)}
            onDone={() => {
              setOpen(false);
              onDone();
            }}
          />
        </Suspense>
      )}
    </>
  );
}

export const rack: Extras = {
  page: ({ recordKey }) => <Page key={recordKey} name={recordKey} />,
  sentence: (r) => joined([`${String(r.heightU)} U`, r.purpose, r.owner, `numbered from the ${String(r.numbering)}`]),
  tickedActions: Fill,
};
