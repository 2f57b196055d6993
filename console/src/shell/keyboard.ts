import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { sections } from './navigation.ts';

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));

/** `/` searches, `g` and a letter goes somewhere, `?` shows the keys. */
export function useKeyboard(): [help: boolean, setHelp: (open: boolean) => void] {
  const [help, setHelp] = useState(false);
  const navigate = useNavigate();
  useEffect(() => {
    let going = 0;
    const press = (event: KeyboardEvent) => {
      if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      if (Date.now() - going < 1200) {
        going = 0;
        const section = sections.find((p) => p.key === event.key);
        if (section) void navigate(section.to);
      } else if (event.key === '/') {
        event.preventDefault();
        window.dispatchEvent(new Event('zpine-search'));
      } else if (event.key === 'g') going = Date.now();
      else if (event.key === '?') setHelp(true);
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [navigate]);
  return [help, setHelp];
}
