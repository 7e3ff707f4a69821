/** A lock is a small knot: tied, or an open loop of cord. */
export function Knot({ tied }: { tied: boolean }) {
  return (
    <svg
      width="16"
      height="12"
      viewBox="0 0 16 12"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.5"
      aria-hidden="true"
    >
      {tied ? (
        <path d="M1 9.500C5 9.500 5.500 2.500 8.500 2.500s3 4.500-.5 4.500-3.500-4.500-.5-4.500S11 9.500 15 9.500" />
      ) : (
        <path d="M1 9.500c4 0 4.500-7 7-7s3 7 7 7" />
      )}
    </svg>
  );
}
