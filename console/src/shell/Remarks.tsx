/** What a write left to be done or known, in a notice that stays until it is closed. */
import { App } from 'antd';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { remarks } from '../api.ts';
import { pathOf } from '../records/paths.ts';

export function useRemarks(): void {
  const { notification } = App.useApp();
  useEffect(() => {
    remarks.hear = (said) => {
      notification.warning({
        title: 'Saved; this was left as it is',
        description: (
          <ul className="named">
            {said.map(({ kind, key, detail, remedy }) => (
              <li key={`${kind} ${key}`}>
                <Link className="mono" to={pathOf(kind, key)}>
                  {key}
                </Link>{' '}
                {detail}. <code className="remedy">{remedy}</code>
              </li>
            ))}
          </ul>
        ),
        duration: 0,
      });
    };
    return () => {
      remarks.hear = () => undefined;
    };
  }, [notification]);
}
