import { App } from 'antd';
import { problemOf, queries } from '../api.ts';

/** Does something, says what came of it, and asks again for what is shown. Gives whether it worked. */
export function useAttempt(): (work: () => Promise<string>) => Promise<boolean> {
  const { message } = App.useApp();
  return async (work) => {
    try {
      void message.success(await work());
      void queries.invalidateQueries();
      return true;
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      void message.error({
        content: <span style={{ whiteSpace: 'pre-wrap' }}>{remedy ? `${detail}. ${remedy}` : detail}</span>,
        duration: 8,
      });
      return false;
    }
  };
}
