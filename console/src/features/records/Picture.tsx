import { useState } from "react";
import type { ProblemDocument } from "../../api/client";

/** A picture in place of its address; the address, and why, where it cannot be shown. */
export function Picture({ address, source, height }: { address: string; source: string; height: number }) {
  const [why, setWhy] = useState<string | null>(null);
  const ask = async () => {
    try {
      const answer = await fetch(source);
      const problem = (await answer.json()) as ProblemDocument;
      setWhy(problem.detail);
    } catch {
      setWhy("it cannot be read as a picture");
    }
  };
  if (why !== null)
    return (
      <span title={why}>
        {address} <span className="text-error">not shown: {why}</span>
      </span>
    );
  return (
    <img
      src={source}
      alt={address}
      title={address}
      loading="lazy"
      height={height}
      style={{ height, width: "auto" }}
      className="inline-block rounded-field bg-base-200"
      onError={() => void ask()}
    />
  );
}
