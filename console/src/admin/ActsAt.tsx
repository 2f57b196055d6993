import { Button, Checkbox, Input, Modal, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, keys } from '../api.ts';

interface Props {
  user: { name: string; sites: string[] | 'all'; sitesUntil: string | null };
  onSave: (body: { sites: string[] | 'all'; sitesUntil: string | null }) => void;
}

/** Where an installer acts, and until when; nowhere unless somebody says so. */
export function ActsAt({ user, onSave }: Props) {
  const [open, setOpen] = useState(false);
  const over = user.sitesUntil !== null && Date.parse(user.sitesUntil) < Date.now();
  const where = user.sites === 'all' ? 'every site' : user.sites.join(', ') || 'no site';
  return (
    <>
      {where}
      {user.sitesUntil && (over ? ', over since ' : ' until ') + user.sitesUntil.slice(0, 10)}{' '}
      <Button size="small" aria-label={`Where ${user.name} acts`} onClick={() => setOpen(true)}>
        Change
      </Button>
      {open && <Choose user={user} onSave={onSave} onClose={() => setOpen(false)} />}
    </>
  );
}

function Choose({ user, onSave, onClose }: Props & { onClose: () => void }) {
  const [all, setAll] = useState(user.sites === 'all');
  const [sites, setSites] = useState<string[]>(user.sites === 'all' ? [] : user.sites);
  const [until, setUntil] = useState(user.sitesUntil?.slice(0, 10) ?? '');
  const known = useQuery({
    queryKey: keys.worked('sites to choose from'),
    queryFn: () => client.list('site', { limit: 500 }),
  });
  const save = () => {
    onSave({ sites: all ? 'all' : sites, sitesUntil: until === '' ? null : `${until}T23:59:59Z` });
    onClose();
  };
  return (
    <Modal open title={`Where ${user.name} acts`} okText="Save" onOk={save} onCancel={onClose}>
      <p>
        <Checkbox checked={all} onChange={(e) => setAll(e.target.checked)}>
          every site
        </Checkbox>
      </p>
      <Select
        mode="multiple"
        style={{ width: '100%' }}
        aria-label="Sites"
        disabled={all}
        value={sites}
        onChange={setSites}
        options={(known.data?.items ?? []).map((site) => ({ value: String(site.key), label: String(site.key) }))}
      />
      <p style={{ marginTop: 12 }}>
        Until (left empty, without an end):{' '}
        <Input
          type="date"
          aria-label="Until"
          style={{ width: 160 }}
          value={until}
          onChange={(e) => setUntil(e.target.value)}
        />
      </p>
    </Modal>
  );
}
