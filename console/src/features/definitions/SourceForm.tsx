import { LoaderCircle } from "lucide-react";
import { useState } from "react";
import { bytes, Field } from "../../ui/parts";
import { filesOf, type Progress, type Source, useSeconds } from "./definitions";

interface Props {
  address?: string;
  isReading: boolean;
  verb: string;
  progress?: Progress | null;
  onSource: (source: Source) => void;
  onStop: () => void;
}

/** Where a definition is read from: an address, or files that are chosen or dropped here. */
export function SourceForm({ address: known = "", isReading, verb, progress = null, onSource, onStop }: Props) {
  const [address, setAddress] = useState(known);
  const [introspect, setIntrospect] = useState(false);
  const [size, setSize] = useState(0);
  const [isOver, setOver] = useState(false);
  const seconds = useSeconds(isReading);
  const take = async (files: FileList | null) => {
    if (!files?.length) return;
    setSize(Array.from(files).reduce((sum, one) => sum + one.size, 0));
    onSource({ files: await filesOf(files) });
  };
  return (
    <div className="mb-5 grid gap-4 md:grid-cols-2">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          setSize(0);
          onSource({ address, introspect });
        }}
      >
        <Field
          label="Address of the definition"
          hint="it is kept, so that importing can be repeated; the host must be permitted"
        >
          {(id) => (
            <div className="flex gap-1">
              <input
                id={id}
                className="input w-full font-mono text-sm"
                placeholder="https://register.example/openapi.json"
                value={address}
                onChange={(e) => setAddress(e.target.value)}
              />
              <button className="btn btn-primary" disabled={!address || isReading}>
                {verb}
              </button>
            </div>
          )}
        </Field>
        <label className="flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={introspect}
            onChange={(e) => setIntrospect(e.target.checked)}
          />{" "}
          it is a GraphQL service: ask it for its schema
        </label>
      </form>
      <div
        className={`rounded-box border border-dashed p-3 ${isOver ? "border-accent bg-accent/8" : "border-base-300"}`}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          void take(event.dataTransfer.files);
        }}
      >
        <Field
          label="Or its files"
          hint="one file, several that refer to each other, or a zip archive; they can be dropped here"
        >
          {(id) => (
            <input
              id={id}
              type="file"
              multiple
              className="file-input file-input-sm w-full"
              disabled={isReading}
              onChange={(e) => void take(e.target.files)}
            />
          )}
        </Field>
      </div>
      {isReading && (
        <p role="status" className="flex items-center gap-2 text-sm md:col-span-2">
          <LoaderCircle className="size-4 animate-spin" aria-hidden /> Reading{" "}
          {size > 0 ? bytes(size) : "the definition"}
          {seconds > 0 && `, ${seconds} s`}
          {progress && progress.done > 0 && (
            <>
              <progress
                className="progress progress-accent w-40"
                value={progress.done}
                max={progress.of}
                aria-label={progress.what}
              />{" "}
              {progress.done.toLocaleString()} of {progress.of.toLocaleString()} {progress.what}
            </>
          )}
          <button type="button" className="btn btn-ghost btn-xs" onClick={onStop}>
            Stop
          </button>
        </p>
      )}
    </div>
  );
}
