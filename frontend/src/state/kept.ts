/** Files kept in this browser's own database, by name. */

const NAME = "hailridge";
const STORE = "files";

function database(): Promise<IDBDatabase> {
  return new Promise((resolve, reject) => {
    const asked = indexedDB.open(NAME, 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE);
    asked.onsuccess = () => resolve(asked.result);
    asked.onerror = () => reject(asked.error ?? new Error("this browser keeps no files"));
  });
}

function done<T>(request: IDBRequest<T>): Promise<T> {
  return new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error ?? new Error("this browser keeps no files"));
  });
}

export async function keepFile(name: string, file: Blob | null): Promise<void> {
  const store = (await database()).transaction(STORE, "readwrite").objectStore(STORE);
  if (file) await done(store.put(file, name));
  else await done(store.delete(name));
}

export async function keptFile(name: string): Promise<Blob | null> {
  const store = (await database()).transaction(STORE).objectStore(STORE);
  const found: unknown = await done(store.get(name));
  return found instanceof Blob ? found : null;
}
