/** The service that is attacked, on a database of this run of tests. */
import { attacked as attackedOn, type Attacked } from '../../trials/attacked.ts';
import { imageFolder, keyFile } from '../../ops/stack.ts';
import { emptyDatabase } from '../service.ts';

export const attacked = async (more: Record<string, string> = {}): Promise<Attacked> =>
  attackedOn(
    {
      ZPINE_DATABASE_SOCKET: process.env.ZPINE_TEST_SOCKET ?? '',
      ZPINE_DATABASE_PASSWORD: process.env.ZPINE_TEST_PASSWORD ?? '',
      ZPINE_DATABASE_NAME: await emptyDatabase(),
      ZPINE_KEY_FILE: keyFile,
      ZPINE_IMAGE_FOLDER: imageFolder,
    },
    more,
  );

export { beside, offerAfter, send, type Attacked } from '../../trials/attacked.ts';
