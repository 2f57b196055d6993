import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const ImagePanel = lazy(() => import('../hardware/ImagePanel.tsx'));

export const image: Extras = {
  beside: ImagePanel,
  sentence: (r) =>
    joined([
      `version ${String(r.release)}`,
      r.model ? `for ${String(r.model)}` : `for every model of ${String(r.dialect)}`,
      r.sha256 ? '' : 'no content yet',
    ]),
};
