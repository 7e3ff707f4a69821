import { useEffect, useState } from 'react';
import { attachmentBytes } from './attachments.ts';

/** The address of a picture that is an attachment; undefined until it has come. */
export function useAttachmentUrl(character: string, attachment: string | null): string | undefined {
  const [url, setUrl] = useState<string>();
  useEffect(() => {
    if (attachment === null) return undefined;
    let made: string | undefined;
    let isOver = false;
    attachmentBytes(character, attachment).then(
      (bytes) => {
        if (isOver) return;
        made = URL.createObjectURL(new Blob([new Uint8Array(bytes)], { type: 'image/png' }));
        setUrl(made);
      },
      () => undefined,
    );
    return () => {
      isOver = true;
      if (made) URL.revokeObjectURL(made);
      setUrl(undefined);
    };
  }, [character, attachment]);
  return url;
}
