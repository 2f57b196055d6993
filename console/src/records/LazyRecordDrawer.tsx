import { lazy, Suspense, type ComponentProps } from 'react';

const Drawer = lazy(() => import('./RecordDrawer.tsx').then(({ RecordDrawer }) => ({ default: RecordDrawer })));

/** The form of a record, which comes over the line only when somebody opens one. */
export const LazyRecordDrawer = (props: ComponentProps<typeof Drawer>) => (
  <Suspense fallback={null}>
    <Drawer {...props} />
  </Suspense>
);
