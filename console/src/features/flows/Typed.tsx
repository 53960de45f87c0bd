import { useState, type InputHTMLAttributes } from "react";

interface Props<T> extends Omit<InputHTMLAttributes<HTMLInputElement>, "value" | "onChange"> {
  value: T;
  write: (value: T) => string;
  /** A text as a value; undefined if it is none, or none yet. */
  read: (text: string) => T | undefined;
  onValue: (value: T) => void;
}

/** A field for a value that is no text: it stays as it was typed until the value is another one. */
export function Typed<T>({ value, write, read, onValue, ...input }: Props<T>) {
  const [typed, setTyped] = useState({ text: "", as: "" });
  const now = JSON.stringify(value);
  return (
    <input
      {...input}
      value={typed.as === now ? typed.text : write(value)}
      onChange={(e) => {
        const made = read(e.target.value);
        setTyped({ text: e.target.value, as: made === undefined ? now : JSON.stringify(made) });
        if (made !== undefined) onValue(made);
      }}
    />
  );
}

/** Names with spaces or commas between them. */
export function Names({
  names,
  onNames,
  ...input
}: { names: string[]; onNames: (names: string[]) => void } & Pick<Props<string[]>, "className" | "placeholder">) {
  return (
    <Typed
      {...input}
      value={names}
      write={(value) => value.join(" ")}
      read={(text) => text.split(/[\s,]+/).filter(Boolean)}
      onValue={onNames}
    />
  );
}
