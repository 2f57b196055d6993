import { Tabs } from 'antd';
import { useSearchParams } from 'react-router';
import { Hosts, Scans } from '../imports/ListImport.tsx';
import { RecordsImport } from '../imports/RecordsImport.tsx';
import { Sheets } from '../imports/SheetImport.tsx';
import { Page } from '../look/Page.tsx';

const ways = {
  records: {
    label: 'Records',
    sentence: 'CSV, YAML or JSON, dropped or pasted. Nothing is saved before you have seen what would come of it.',
    body: <RecordsImport />,
  },
  scans: {
    label: 'Scans',
    sentence: 'What a barcode reader types becomes boxes: in stock, or fitted to devices that wait for one.',
    body: <Scans />,
  },
  sheets: {
    label: 'Model sheets',
    sentence: 'Models as YAML or JSON, a sheet each. Every fault is named with its line.',
    body: <Sheets />,
  },
  hosts: {
    label: 'Names and addresses',
    sentence: 'Devices that run already, from a list. Model and place may follow later.',
    body: <Hosts />,
  },
} as const;
type Way = keyof typeof ways;

export default function Import() {
  const [params, setParams] = useSearchParams();
  const asked = params.get('from') ?? '';
  const way: Way = asked in ways ? (asked as Way) : 'records';
  return (
    <Page title="Import" sentence={ways[way].sentence}>
      <Tabs
        size="small"
        activeKey={way}
        items={Object.entries(ways).map(([key, { label }]) => ({ key, label }))}
        onChange={(key) => setParams(key === 'records' ? {} : { from: key }, { replace: true })}
        tabBarStyle={{ marginBottom: 12 }}
      />
      {ways[way].body}
    </Page>
  );
}
