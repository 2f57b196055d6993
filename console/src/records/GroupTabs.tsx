import { Tabs } from 'antd';
import { useNavigate } from 'react-router';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { sectionOf } from '../shell/navigation.ts';
import { listPath } from './paths.ts';

/** The lists that stand beside this one in the navigation; `leads`: the page before them is shown. */
export function GroupTabs({ kind, leads = false }: { kind: KindName; leads?: boolean }) {
  const navigate = useNavigate();
  const section = sectionOf(kind);
  const kinds = section?.kinds ?? [];
  const lead = section?.lead === undefined ? [] : [{ key: section.to, label: section.lead }];
  if (kinds.length + lead.length < 2) return null;
  return (
    <Tabs
      size="small"
      activeKey={leads ? section?.to : listPath(kind)}
      items={[...lead, ...kinds.map((name) => ({ key: listPath(name), label: kindOf(name).titles }))]}
      onChange={(to) => void navigate(to)}
      tabBarStyle={{ marginBottom: 12 }}
    />
  );
}
