import { momentWords } from '../ui/momentWords.ts';

/** That the place is not kept as it should be. */
export function BackupsFail({ since }: { since: string }) {
  return (
    <div className="trouble" role="alert">
      {`The backup of ${momentWords(since)} failed, and none has been made since. The log of npm start says why.`}
    </div>
  );
}
