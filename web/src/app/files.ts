/** Bytes of a measured curve, at most. */
export const LARGEST_CURVE = 5e6;

/** Hands something over as a file of the browser. */
export function handOver(name: string, content: Blob): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

/** A name for a file, from a title in words. @param without what stands where nothing of the title does */
export function fileName(title: string, ending: string, without: string): string {
  const plain = title
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/gu, '');
  return `${plain === '' ? without : plain}.${ending}`;
}
