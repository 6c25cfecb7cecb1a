/** By which column rows are sorted, kept in the address. */
import { useSearchParams } from "react-router";
import type { Sorting } from "./RowWindow";
import { addressNow } from "./address";

export function useSorting() {
  const [address, setAddress] = useSearchParams();
  const sorting: Sorting = { column: address.get("sort"), falling: address.get("falling") !== null };
  const sort = ({ column, falling }: Sorting) => {
    const next = addressNow();
    next.delete("sort");
    next.delete("falling");
    if (column !== null) next.set("sort", column);
    if (column !== null && falling) next.set("falling", "yes");
    setAddress(next);
  };
  return { sorting, sort };
}
