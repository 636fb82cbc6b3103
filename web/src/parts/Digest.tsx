/** Which weights a result is of: the first digits of their SHA-256, all of it on demand. */
import type { Model } from "../api/client";

export function Digest({ model }: { model: Pick<Model, "digest"> }) {
  if (!model.digest) return null;
  return (
    <span className="text-sm whitespace-nowrap text-quiet" title={`SHA-256 of the weights: ${model.digest}`}>
      weights <span className="font-mono">{model.digest.slice(0, 10)}</span>
    </span>
  );
}
