import { lazy } from 'react';
import type { Extras } from './extras.ts';

const PlanSteps = lazy(() => import('../addressing/PlanSteps.tsx'));
const ApplyPlan = lazy(() => import('../addressing/ApplyPlan.tsx'));

export const siteplan: Extras = {
  beside: ({ record }) => <PlanSteps steps={record.steps} />,
  primary: ({ record }) => <ApplyPlan plan={record.key} />,
};
