/** Materials that are used again from frame to frame: making one anew has the card's program looked up anew. */

import type { IUniform, ShaderMaterial } from "three";

export class Materials {
  private readonly free = new Map<string, ShaderMaterial[]>();
  private readonly keys = new Map<ShaderMaterial, string>();

  /** A material of this sort with these values, from those given back or made anew. */
  take(key: string, uniforms: Record<string, IUniform>, make: () => ShaderMaterial): ShaderMaterial {
    const known = this.free.get(key)?.pop();
    if (!known) {
      const made = make();
      this.keys.set(made, key);
      return made;
    }
    for (const [name, { value }] of Object.entries(uniforms)) known.uniforms[name]!.value = value;
    known.visible = true;
    return known;
  }

  giveBack(material: ShaderMaterial): void {
    const key = this.keys.get(material);
    if (key === undefined) return material.dispose();
    const list = this.free.get(key);
    if (list) list.push(material);
    else this.free.set(key, [material]);
  }

  dispose(): void {
    for (const list of this.free.values()) list.forEach((material) => material.dispose());
    this.free.clear();
  }
}
