/** A button in one look. */

import type { ComponentProps } from "react";

export function Button({
  tone = "quiet",
  className = "",
  ...rest
}: ComponentProps<"button"> & { tone?: "quiet" | "main" | "danger" }) {
  const tones = {
    quiet: "border-line text-text hover:bg-raised disabled:opacity-40",
    main: "border-ice/60 text-ice hover:bg-ice/10 disabled:opacity-40",
    danger: "border-ember/50 text-ember hover:bg-ember/10 disabled:opacity-40",
  };
  return (
    <button type="button" className={`rounded border px-2.5 py-1 leading-5 ${tones[tone]} ${className}`} {...rest} />
  );
}
