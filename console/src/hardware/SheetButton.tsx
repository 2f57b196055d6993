import { Button } from 'antd';
import { client } from '../api.ts';
import { download } from '../imports/files.ts';
import { useAttempt } from '../look/attempt.tsx';

/** A model as a sheet, to be kept or given to others. */
export default function SheetButton({ model }: { model: string }) {
  const attempt = useAttempt();
  return (
    <Button
      onClick={() =>
        void attempt(async () => {
          const { name, text } = await client.call('sheet.write', { params: { ref: model }, query: { as: 'yaml' } });
          download(name, text);
          return name;
        })
      }
    >
      Sheet
    </Button>
  );
}
