import { Tabs } from 'antd';
import { useNavigate } from 'react-router';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { sectionOf } from '../shell/navigation.ts';
import { listPath } from './paths.ts';

/** The lists that stand beside this one in the navigation. */
export function GroupTabs({ kind }: { kind: KindName }) {
  const navigate = useNavigate();
  const kinds = sectionOf(kind)?.kinds ?? [];
  if (kinds.length < 2) return null;
  return (
    <Tabs
      size="small"
      activeKey={kind}
      items={kinds.map((name) => ({ key: name, label: kindOf(name).titles }))}
      onChange={(name) => void navigate(listPath(name))}
      tabBarStyle={{ marginBottom: 12 }}
    />
  );
}
