/** A lock: closed and solid, or open and hollow, so that the two differ by more than a line. */
export function LockIcon({ locked }: { locked: boolean }) {
  return (
    <svg
      width="14"
      height="14"
      viewBox="0 0 14 14"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.4"
      strokeLinejoin="round"
      aria-hidden="true"
    >
      <path d={locked ? 'M4.2 6.5V4.2a2.8 2.8 0 0 1 5.6 0v2.3' : 'M4.2 6.5V4.2a2.8 2.8 0 0 1 5.3-1.3'} />
      <rect x="2.5" y="6.5" width="9" height="6" rx="1.2" fill={locked ? 'currentColor' : 'none'} />
    </svg>
  );
}
