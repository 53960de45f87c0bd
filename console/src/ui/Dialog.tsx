import { X } from "lucide-react";
import { useEffect, useRef, type ReactNode } from "react";

/** Over the page, closed by its key Escape, by clicking beside it, or by whoever shows it. */
export function Dialog({
  label,
  isWide = false,
  onClose,
  children,
}: {
  label: string;
  isWide?: boolean;
  onClose: () => void;
  children: ReactNode;
}) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  return (
    <dialog ref={dialog} className="modal" aria-label={label} onClose={onClose}>
      <div className={`modal-box text-base-content ${isWide ? "max-w-3xl" : "max-w-md"}`}>
        {children}
        <form method="dialog" className="absolute top-2 right-2">
          <button className="btn btn-ghost btn-sm btn-circle" aria-label="Close this">
            <X className="size-4" aria-hidden />
          </button>
        </form>
      </div>
      <form method="dialog" className="modal-backdrop">
        <button aria-label="Close">close</button>
      </form>
    </dialog>
  );
}
