// The mark of Kite Roll.
export function Kite({ size }: { size: number }) {
  return (
    <svg viewBox="0 0 32 32" width={size} height={size} aria-hidden="true">
      <path d="M17 2 28 12 13 21 9 9z" fill="#d4552b" />
      <path d="M17 2 13 21 9 9z" fill="var(--chakra-colors-tarn)" />
      <path
        d="M13 21c-1 3 3 3 2 6s-5 1-7 4"
        fill="none"
        stroke="var(--chakra-colors-tarn)"
        strokeWidth="2"
        strokeLinecap="round"
      />
    </svg>
  );
}
