/** Pictures that stages open with: what they will show, before anything is drawn. Of a demo one ships; of others it is what was left. */

/** Of so many effects the picture is kept, the ones left last. */
const KEPT = 40;

interface Left {
  frame: number;
  url: string;
}

/** Where the playhead of an effect was in this tab. */
export const playheadOf = (id: string): number => Number(sessionStorage.getItem(`playhead ${id}`) ?? 0);

export class Openings {
  private readonly left = new Map<string, Left>();

  /** What an effect's stage will show first, as far as there is a picture of it; `shipped` shows frame 0. */
  of(id: string, shipped: string | null): string | null {
    const left = this.left.get(id);
    const frame = playheadOf(id);
    if (left) return left.frame === frame ? left.url : null;
    return frame === 0 ? shipped : null;
  }

  /** Keep what a stage shows that is being left, if it will be seen so again; null where it will not. */
  keep(id: string, frame: number, canvas: HTMLCanvasElement | null): void {
    this.put(id, { frame, url: "" });
    canvas?.toBlob(
      (picture) => picture && this.put(id, { frame, url: URL.createObjectURL(picture) }),
      "image/webp",
      0.85,
    );
  }

  private put(id: string, left: Left): void {
    this.drop(id);
    this.left.set(id, left);
    if (this.left.size > KEPT) this.drop([...this.left.keys()][0]!);
  }

  private drop(id: string): void {
    const gone = this.left.get(id);
    if (gone?.url) URL.revokeObjectURL(gone.url);
    this.left.delete(id);
  }
}
