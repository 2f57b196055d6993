import { Button } from 'antd';
import { useNavigate } from 'react-router';
import { joined, type Extras } from './extras.ts';

function Scans() {
  const navigate = useNavigate();
  return <Button onClick={() => void navigate('/import?from=scans')}>Scans</Button>;
}

export const box: Extras = {
  sentence: (r) => joined([r.model, r.mac, r.condition, r.device ? `fitted as ${String(r.device)}` : r.whereabouts]),
  listActions: Scans,
};
