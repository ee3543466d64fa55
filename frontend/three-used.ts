/** Leaves out of three.js the shader texts of materials that the page never makes: a hundred kilobytes of words for the card. */

import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import type { Plugin } from "vite";

/** What the page draws with besides shaders of its own: thin lines, dashed ones, and lines with a width. */
const MATERIALS = ["meshbasic_vert", "meshbasic_frag", "linedashed_vert", "linedashed_frag"];
/** Texts that every program begins with. */
const ALWAYS = ["tonemapping_pars_fragment", "colorspace_pars_fragment"];
const WIDE_LINES = new URL("node_modules/three/examples/jsm/lines/LineMaterial.js", import.meta.url);

const includes = (text: string): string[] => [...text.matchAll(/#include <(\w+)>/g)].map((match) => match[1]!);

export function onlyUsedShaders(): Plugin {
  return {
    name: "only-used-shaders",
    apply: "build",
    transform(code, id) {
      if (!id.endsWith("three/build/three.module.js")) return null;
      const texts = new Map(
        [...code.matchAll(/^(?:const|var) ([\w$]+) = (".*");$/gm)].map((match) => [match[1]!, match[2]!]),
      );
      const listed = /const ShaderChunk = \{([^}]*)\}/.exec(code)?.[1] ?? "";
      const chunks = new Map([...listed.matchAll(/(\w+): ([\w$]+)/g)].map((match) => [match[1]!, match[2]!]));
      const used = new Set<string>();
      const use = (name: string): void => {
        const variable = chunks.get(name);
        if (!variable || !texts.has(variable)) throw new Error(`three.js has no shader text ${name} any more`);
        if (used.has(variable)) return;
        used.add(variable);
        includes(texts.get(variable)!).forEach(use);
      };
      [...MATERIALS, ...ALWAYS, ...includes(readFileSync(fileURLToPath(WIDE_LINES), "utf8"))].forEach(use);
      let lean = code;
      for (const variable of chunks.values()) {
        const text = texts.get(variable);
        if (text && !used.has(variable)) lean = lean.replace(` ${variable} = ${text};`, () => ` ${variable} = "";`);
      }
      return { code: lean, map: null };
    },
  };
}
