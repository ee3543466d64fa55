/** Set to `card` or `processor` in the session's storage, this decides how is drawn, so that each way can be looked at anywhere. */
const CHOSEN = "drawn by";

/** Whether pictures are drawn by the processor alone: then smooth edges cost more than they are worth while one is tuning. */
export const drawnInSoftware: boolean = (() => {
  try {
    const chosen = sessionStorage.getItem(CHOSEN);
    if (chosen) return chosen === "processor";
    const context = document.createElement("canvas").getContext("webgl2");
    const info = context?.getExtension("WEBGL_debug_renderer_info");
    const name = String(context?.getParameter(info ? info.UNMASKED_RENDERER_WEBGL : 0x1f01) ?? "");
    context?.getExtension("WEBGL_lose_context")?.loseContext();
    return /swiftshader|llvmpipe|software|basic render/i.test(name);
  } catch {
    return false;
  }
})();
