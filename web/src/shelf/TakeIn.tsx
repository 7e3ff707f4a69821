import { Button, Progress } from '@mantine/core';
import { characterCard, jobAnswer, MAX_UPLOAD_BYTES } from '@judoka/contract';
import { useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useNavigate } from 'react-router';
import { HttpError, sendBytes } from '../api/http.ts';
import { followJob } from './followJob.ts';
import { messageOf } from '@judoka/core/errors';

interface Work {
  readonly name: string;
  readonly stage: string;
  readonly share: number;
}

/** The place on the shelf where a file is dropped or picked: read here first, then sent, then opened. */
export function TakeIn({ shelf }: { shelf: string }) {
  const navigate = useNavigate();
  const [work, setWork] = useState<Work>();
  const [failure, setFailure] = useState<string>();
  const stopper = useRef<AbortController>(undefined);

  const take = async (file: File): Promise<void> => {
    setFailure(undefined);
    stopper.current = new AbortController();
    const { signal } = stopper.current;
    const tell = (stage: string, share: number): void => setWork({ name: file.name, stage, share });
    try {
      const id = await (isHistory(file) ? takeHistory : takeIn)(file, shelf, tell, signal);
      void navigate(`/characters/${id}/${isHistory(file) ? 'paint' : 'check-in'}`);
    } catch (error) {
      if (!signal.aborted) setFailure(`“${file.name}” was not taken. ${messageOf(error)}`);
    } finally {
      setWork(undefined);
    }
  };

  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    multiple: false,
    noClick: true,
    noKeyboard: true,
    disabled: work !== undefined,
    onDrop: (files, refused) => {
      if (files[0]) void take(files[0]);
      else if (refused.length > 1) setFailure('Drop one file at a time.');
    },
  });

  return (
    <div {...getRootProps({ className: `drop${isDragActive ? ' over' : ''}` })}>
      <input {...getInputProps({ 'aria-label': 'Character file' })} />
      {work ? (
        <>
          <strong>{work.name}</strong>
          <Progress value={work.share * 100} w="80%" aria-label={work.stage} />
          <span>{work.stage}</span>
          <Button variant="default" onClick={() => stopper.current?.abort()}>
            Stop
          </Button>
        </>
      ) : (
        <>
          <span>Drop a .glb here, an .svg drawing, or a .judoka file with its history</span>
          <Button variant="default" onClick={open}>
            Pick a file
          </Button>
          {failure && (
            <span role="alert" style={{ color: 'var(--fails)' }}>
              {failure}
            </span>
          )}
        </>
      )}
    </div>
  );
}

const isHistory = (file: File): boolean => /\.judoka$/i.test(file.name);

/** A character that was saved with its history, here or elsewhere. @returns its id */
async function takeHistory(
  file: File,
  shelf: string,
  tell: (stage: string, share: number) => void,
  signal: AbortSignal,
): Promise<string> {
  const sending = (share: number): void =>
    tell(share < 1 ? 'Sending' : 'Doing its edits again, one after the other', share * 0.9);
  sending(0);
  const path = `/api/characters/history?${new URLSearchParams({ shelf }).toString()}`;
  return characterCard.parse(await sendBytes(path, file, sending, signal)).id;
}

/** @returns the new character's id */
async function takeIn(
  file: File,
  shelf: string,
  tell: (stage: string, share: number) => void,
  signal: AbortSignal,
): Promise<string> {
  if (file.size > MAX_UPLOAD_BYTES) {
    const size = Math.ceil(file.size / 1024 / 1024);
    throw new HttpError('file-too-large', `It has ${size} MB; at most 256 MB can be taken.`);
  }
  if (/\.(gltf|dae|obj|fbx)$/i.test(file.name)) {
    throw new HttpError(
      'file-unsupported',
      'Only .glb and .svg files can be taken so far; save it as binary glTF.',
    );
  }
  tell('Reading', 0);
  const bytes = new Uint8Array(await file.arrayBuffer());
  const { checkInWorker } = await import('../document/reading/reader.ts');
  const refusal = await checkInWorker(bytes, (stage, share) => tell(stage, share * 0.6), signal);
  if (refusal) throw new HttpError('file-invalid', refusal.message);
  const name =
    file.name
      .replace(/\.[^.]*$/, '')
      .trim()
      .slice(0, 120) || 'Unnamed';
  const path = `/api/characters?${new URLSearchParams({ name, shelf, wait: '0' }).toString()}`;
  const sending = (share: number): void => tell('Sending', 0.6 + share * 0.3);
  const job = jobAnswer.parse(await sendBytes(path, bytes, sending, signal));
  return followJob(job, (stage) => tell(stage, 0.95), signal);
}
