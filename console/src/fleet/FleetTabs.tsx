import { Tabs } from 'antd';
import { useNavigate } from 'react-router';

const tabs = [
  ['fleet', 'Runs'],
  ['drift', 'Drift'],
  ['checked', 'Checks'],
  ['routines', 'Routines'],
  ['captures', 'Captures'],
  ['live', 'Look up live'],
  ['watch', 'Watch'],
] as const;

/** The pages of the running fleet, beside one another. */
export function FleetTabs({ here }: { here: (typeof tabs)[number][0] }) {
  const navigate = useNavigate();
  return (
    <Tabs
      size="small"
      activeKey={here}
      items={tabs.map(([key, label]) => ({ key, label }))}
      onChange={(key) => void navigate(`/${key}`)}
      tabBarStyle={{ marginBottom: 12 }}
    />
  );
}
