import { Table, Typography } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { sizeWords } from '@zpine/core/fleet/upgrading';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf } from '../api.ts';
import { pathOf } from '../records/paths.ts';

type Held = ReplyOf<'image.held'>['items'][number];

const WORDS: Record<Held['state'], string> = {
  here: '● here',
  sound: '● sound',
  absent: '✕ not here',
  damaged: '✕ damaged',
  empty: '– no content yet',
};

/** Which contents of images the service that answers has: several share one folder, or should. */
export function ImagesHere() {
  const held = useQuery({
    queryKey: keys.worked('images-held'),
    queryFn: () => client.call('image.held', { query: {} }),
  });
  const { items = [], folder = '', room = 0 } = held.data ?? {};
  return (
    <section>
      <Typography.Title level={4}>Contents of images</Typography.Title>
      {held.isError && <div className="refused">{problemOf(held.error).detail}</div>}
      {held.data && (
        <p className="second">
          In <span className="mono">{folder}</span>, {sizeWords(room)} free
        </p>
      )}
      {items.length > 0 && (
        <Table<Held>
          size="small"
          rowKey="image"
          pagination={false}
          dataSource={items}
          columns={[
            {
              title: 'Image',
              render: (_, one) => (
                <Link className="mono" to={pathOf('image', one.image)}>
                  {one.image}
                </Link>
              ),
            },
            { title: 'Content', render: (_, one) => WORDS[one.state] },
            { title: 'Size', align: 'right', render: (_, one) => (one.bytes === null ? '' : sizeWords(one.bytes)) },
            { title: 'SHA-256', render: (_, one) => <span className="mono">{one.sha256?.slice(0, 16) ?? ''}</span> },
          ]}
        />
      )}
    </section>
  );
}
