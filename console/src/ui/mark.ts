import { useRef } from "react";
import { Problem } from "../api/client";

const fresh = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (one) => one.toString(16).padStart(2, "0")).join("");

/**
 * A mark for what a button sends. However often it is pressed before an answer has come, the mark of the same thing is
 * the same, and the service
 * sends it once. An answer ends the mark; a connection that broke does not, as nobody knows then what was sent.
 */
export function useMark() {
  const last = useRef<{ mark: string; asked: string }>(null);
  return {
    of: (asked: unknown) => {
      const text = JSON.stringify(asked);
      if (last.current?.asked !== text) last.current = { mark: fresh(), asked: text };
      return last.current.mark;
    },
    settle: (_: unknown, error: unknown) => {
      if (!(error instanceof Problem && error.document.status === 0)) last.current = null;
    },
  };
}
