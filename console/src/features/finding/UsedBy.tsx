import { useState } from "react";
import { Dialog } from "../../ui/Dialog";
import { useWhereUsed } from "./finding";
import { WhereUsed, type RemovableItem } from "./WhereUsed";

/** How far a change reaches: how many use an item; opened, which these are. */
export function UsedBy({
  item,
  known,
}: {
  item: RemovableItem;
  /** How many, where that is known already. */ known?: number;
}) {
  const [isOpen, setOpen] = useState(false);
  const uses = useWhereUsed(item.project, item.kind, item.name, known === undefined);
  const count = known ?? uses.data?.filter((one) => !one.belongs).length;
  const words =
    count === undefined
      ? "where it is used"
      : count === 0
        ? "used nowhere"
        : `used in ${count} place${count > 1 ? "s" : ""}`;
  return (
    <>
      <button type="button" className="link text-xs opacity-90" aria-haspopup="dialog" onClick={() => setOpen(true)}>
        {words}
      </button>
      {isOpen && (
        <Dialog isWide label={`Where the ${item.word} is used`} onClose={() => setOpen(false)}>
          <WhereUsed item={item} isAlone />
        </Dialog>
      )}
    </>
  );
}
