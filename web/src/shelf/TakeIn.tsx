import { Button, Progress } from '@mantine/core';
import { characterCard, jobAnswer, MAX_UPLOAD_BYTES } from '@judoka/contract';
import { useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useNavigate } from 'react-router';
import { HttpError, sendBytes } from '../api/http.ts';
import { followJob } from './followJob.ts';
import { counted } from '@judoka/core/document';
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

  const take = async (files: readonly File[]): Promise<void> => {
    setFailure(undefined);
    stopper.current = new AbortController();
    const { signal } = stopper.current;
    const name = files.length === 1 ? files[0].name : counted(files.length, 'file');
    const tell = (stage: string, share: number): void => setWork({ name, stage, share });
    try {
      const withHistory = files.length === 1 && isHistory(files[0]);
      const id = withHistory
        ? await takeHistory(files[0], shelf, tell, signal)
        : await takeIn(files, shelf, tell, signal);
      void navigate(`/characters/${id}/${withHistory ? 'paint' : 'check-in'}`);
    } catch (error) {
      if (!signal.aborted)
        setFailure(
          `${files.length === 1 ? `“${name}” was` : 'These files were'} not taken. ${messageOf(error)}`,
        );
    } finally {
      setWork(undefined);
    }
  };

  const { getRootProps, getInputProps, inputRef, isDragActive, open } = useDropzone({
    noClick: true,
    noKeyboard: true,
    disabled: work !== undefined,
    onDrop: (files) => {
      if (files.length > 0) void take(files);
      // What was picked before is not picked again with what is picked next.
      inputRef.current.value = '';
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
          <span>
            Drop a character here: .glb, .gltf with its files, .dae, .obj, an .svg drawing, or a zip of it
          </span>
          <span style={{ color: 'var(--faint)' }}>or a .judoka file with its history</span>
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

/** What was dropped or picked, as one file: several are packed together. */
async function asOneFile(
  files: readonly File[],
  signal: AbortSignal,
): Promise<{ readonly name: string; readonly bytes: Uint8Array<ArrayBuffer> }> {
  const bytesOf = async (file: File): Promise<Uint8Array<ArrayBuffer>> =>
    new Uint8Array(await file.arrayBuffer());
  if (files.length === 1) return { name: files[0].name, bytes: await bytesOf(files[0]) };
  const held = new Map<string, Uint8Array>();
  for (const file of files) held.set(pathOf(file), await bytesOf(file));
  const { packInWorker } = await import('../document/reading/reader.ts');
  return packInWorker(held, signal);
}

/** Where a file lies in the folder that was dropped. */
function pathOf(file: File): string {
  const dropped = 'path' in file && typeof file.path === 'string' ? file.path : '';
  return (dropped || file.webkitRelativePath || file.name).replace(/^[./]+/, '');
}

/** @returns the new character's id */
async function takeIn(
  files: readonly File[],
  shelf: string,
  tell: (stage: string, share: number) => void,
  signal: AbortSignal,
): Promise<string> {
  const size = files.reduce((sum, file) => sum + file.size, 0);
  if (size > MAX_UPLOAD_BYTES) {
    const megabytes = Math.ceil(size / 1024 / 1024);
    throw new HttpError('file-too-large', `It has ${megabytes} MB; at most 256 MB can be taken.`);
  }
  tell('Reading', 0);
  const { name: fileName, bytes } = await asOneFile(files, signal);
  const { checkInWorker } = await import('../document/reading/reader.ts');
  const refusal = await checkInWorker(bytes, (stage, share) => tell(stage, share * 0.6), signal);
  if (refusal) throw new HttpError('file-invalid', refusal.message);
  const name =
    fileName
      .replace(/\.[^.]*$/, '')
      .trim()
      .slice(0, 120) || 'Unnamed';
  const path = `/api/characters?${new URLSearchParams({ name, shelf, wait: '0' }).toString()}`;
  const sending = (share: number): void => tell('Sending', 0.6 + share * 0.3);
  const job = jobAnswer.parse(await sendBytes(path, bytes, sending, signal));
  return followJob(job, (stage) => tell(stage, 0.95), signal);
}
