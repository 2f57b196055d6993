import { AutoComplete, Table } from 'antd';
import type { ReplyOf } from '@zpine/contract/routes';
import { meanings } from '@zpine/core/lists/meanings';

export type ListWords = Pick<ReplyOf<'import.paste'>, 'form' | 'words' | 'groups'>;

interface Row {
  /** As it is said again: `[tower]` for a group. */
  word: string;
  title: string;
  times: number;
  means: string | null;
  by: string | null;
  example: string | null;
}

const by = { said: '', remembered: 'as before', guessed: 'guessed' };
const offered = [...meanings.filter((one) => !one.includes(' ')), 'setting '].map((value) => ({ value }));
const forGroups = ['label ', 'site ', 'duty ', 'model ', 'dialect ', 'nothing'].map((value) => ({ value }));

/** What groups and words of a list are taken for, to be said otherwise; what was said is remembered once it is saved. */
export function Meanings({
  read: { words, groups },
  said,
  onSay,
}: {
  read: ListWords;
  said: Record<string, string>;
  onSay: (means: Record<string, string>) => void;
}) {
  const rows: Row[] = [
    ...groups.map(({ group, hosts, means, by: source }) => ({
      word: `[${group}]`,
      title: `group ${group}`,
      times: hosts,
      means,
      by: by[source],
      example: '',
    })),
    ...words.map(({ word, times, means, by: source, example }) => ({
      word,
      title: word,
      times,
      means,
      by: source && by[source],
      example: example ?? '(not shown)',
    })),
  ];
  if (rows.length === 0) return null;
  const unknown = words.filter(({ means }) => means === null).length;
  const say = (word: string, text: string) => {
    const { [word]: _before, ...rest } = said;
    onSay(text.trim() === '' ? rest : { ...rest, [word]: text.trim() });
  };
  return (
    <>
      <h2 className="section-title">
        What its words mean
        <span className="second">
          {unknown > 0
            ? `${unknown} without a counterpart: left out until you say what they are`
            : 'remembered once saved'}
        </span>
      </h2>
      <Table<Row>
        size="small"
        rowKey="word"
        pagination={{ pageSize: 20, hideOnSinglePage: true }}
        dataSource={rows}
        columns={[
          { title: 'Word', dataIndex: 'title', className: 'mono' },
          { title: 'Times', dataIndex: 'times', align: 'right', width: 70 },
          {
            title: 'Means',
            width: 240,
            render: (_, row) => (
              <AutoComplete
                // Another answer brings another beginning.
                key={`${row.word} ${row.means}`}
                aria-label={`Meaning of ${row.title}`}
                className="mono"
                style={{ width: '100%' }}
                options={row.word.startsWith('[') ? forGroups : offered}
                defaultValue={said[row.word] ?? row.means ?? ''}
                placeholder="left out"
                onBlur={(event) => {
                  const text = (event.target as HTMLInputElement).value;
                  if (text.trim() !== (said[row.word] ?? row.means ?? '')) say(row.word, text);
                }}
              />
            ),
          },
          { title: '', dataIndex: 'by', width: 100 },
          { title: 'Such as', dataIndex: 'example', className: 'mono', ellipsis: true },
        ]}
      />
    </>
  );
}
