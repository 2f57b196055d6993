import { lazy } from 'react';
import type { Extras } from './extras.ts';

export const dialect: Extras = { beside: lazy(() => import('../fleet/DialectSheet.tsx')) };
