/** Gives a file to the person at the browser. */
export function saveFile(
  name: string,
  content: Uint8Array | string,
  type = 'application/octet-stream',
): void {
  const url = URL.createObjectURL(new Blob([content as BlobPart], { type }));
  Object.assign(document.createElement('a'), { href: url, download: name }).click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
