import { ChevronDown, ChevronUp } from "lucide-react";
import { useEffect, useState, useEffectEvent } from "react";

interface Props {
  what: string;
  count: number;
  isAll: boolean;
  /** Which of the places is shown, from 0. */
  number: number;
  onText: (text: string) => void;
  onNumber: (number: number) => void;
}

/** A text to look for, and the way from one place to the next; Enter leads on, Shift and Enter back, Escape ends it. */
export function Find({ what, count, isAll, number, onText, onNumber }: Props) {
  const [text, setText] = useState("");
  const tell = useEffectEvent(onText);
  useEffect(() => {
    const wait = setTimeout(() => tell(text), 200);
    return () => clearTimeout(wait);
  }, [text]);
  const go = (step: number) => count > 0 && onNumber((number + step + count) % count);
  return (
    <span className="flex items-center gap-1 text-xs">
      <input
        type="search"
        className="input input-xs w-44"
        aria-label={what}
        placeholder={what}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter") go(event.shiftKey ? -1 : 1);
          else if (event.key === "Escape") setText("");
          else return;
          event.preventDefault();
        }}
      />
      {text && (
        <>
          <button
            type="button"
            className="btn btn-ghost btn-xs px-0.5"
            aria-label="the one before"
            disabled={count === 0}
            onClick={() => go(-1)}
          >
            <ChevronUp className="size-3.5" aria-hidden />
          </button>
          <button
            type="button"
            className="btn btn-ghost btn-xs px-0.5"
            aria-label="the next one"
            disabled={count === 0}
            onClick={() => go(1)}
          >
            <ChevronDown className="size-3.5" aria-hidden />
          </button>
          <span role="status" className="whitespace-nowrap opacity-80">
            {count === 0 ? "nowhere" : `${number + 1} of ${count}${isAll ? "" : " and more"}`}
          </span>
        </>
      )}
    </span>
  );
}
