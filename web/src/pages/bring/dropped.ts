import type { Chosen } from "../../api/files";

const read = (entry: FileSystemDirectoryReader) =>
  new Promise<FileSystemEntry[]>((done, failed) => entry.readEntries(done, failed));

async function below(entry: FileSystemEntry, folder: string): Promise<Chosen[]> {
  if (entry.name.startsWith(".")) return [];
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
    return [{ file, folder }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const own = folder ? `${folder}/${entry.name}` : entry.name;
  const found: Chosen[] = [];
  // A directory is read some entries at a time, until there are none.
  for (let some = await read(reader); some.length > 0; some = await read(reader))
    for (const one of some) found.push(...(await below(one, own)));
  return found;
}

/** What was dropped, with all that lies in its folders. */
export async function dropped(transfer: DataTransfer): Promise<Chosen[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry());
  const plain = [...transfer.files];
  if (entries.every((entry) => entry === null)) return plain.map((file) => ({ file, folder: "" }));
  const found: Chosen[] = [];
  for (const entry of entries) if (entry) found.push(...(await below(entry, "")));
  return found;
}
