import { RefusedError, UnreachedError } from '@zpine/contract/client';
import type { Problem } from '@zpine/contract/errors';
import type { ReplyOf } from '@zpine/contract/routes';

/** Sends a file as it is, and says how far it is: of what was sent, only this way of asking tells. */
export function sendImage(
  ref: string,
  file: File,
  digest: string,
  far: (percent: number) => void,
): Promise<ReplyOf<'image.put'>> {
  const query = digest === '' ? '' : `?${new URLSearchParams({ digest }).toString()}`;
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', `/api/v1/images/${encodeURIComponent(ref)}/content${query}`);
    request.setRequestHeader('Zpine-Via', 'console');
    request.responseType = 'json';
    request.upload.onprogress = ({ loaded, total }) => far(Math.floor((100 * loaded) / Math.max(1, total)));
    request.onerror = () => reject(new UnreachedError('the service does not answer'));
    request.onload = () =>
      request.status === 200
        ? resolve(request.response as ReplyOf<'image.put'>)
        : reject(new RefusedError(request.response as Problem));
    request.send(file);
  });
}
