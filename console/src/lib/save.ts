/** Has the browser save a file under this name. */
export function saveAs(file: Blob, name: string): void {
  const address = URL.createObjectURL(file);
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  // Only once the browser has taken it.
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
