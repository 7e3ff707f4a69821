/** Hands bytes to the person as a file. */
export function saveFile(name: string, bytes: Uint8Array<ArrayBuffer>, type = 'application/json'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([bytes], { type }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
