/** Asking for the file of a mesh. There is one box for files on the page (MeshImport); what is to become of what was read is said here. */

/** The mesh of the library that a file became: its id, and what it is called. */
type Then = (asset: string, label: string) => void;

let waiting: Then | null = null;

/** Opens the box for files; without `then` the mesh becomes a new shape. */
export function askForMesh(then: Then | null = null): void {
  waiting = then;
  document.getElementById("mesh-file")?.click();
}

/** What to do with the mesh that was read, said once. */
export function whatThen(): Then | null {
  const then = waiting;
  waiting = null;
  return then;
}
