export const Pine = ({ colour }: { colour: string }) => (
  <svg viewBox="0 0 24 28" aria-hidden>
    <path fill={colour} d="M12 1 5.5 9.5H9L3.5 16H8l-6 7h8v4h4v-4h8l-6-7h4.5L15 9.5h3.5z" />
  </svg>
);
