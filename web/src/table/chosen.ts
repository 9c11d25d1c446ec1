// The projects that are chosen on the shelf and in the table, and those that the table is of.

import { create } from "zustand";
import { NONE, type Chosen } from "./choosing";

/** Projects chosen on the shelf. */
export const useShelfChosen = create<Chosen>(() => NONE);
/** Projects chosen in the table. */
export const useTableChosen = create<Chosen>(() => NONE);

const KEPT = "jayflick-table";

/** The projects that the table is of; null: all. A window that is reloaded still has them. */
export const useTabled = create<{ ids: readonly string[] | null }>(() => ({
  ids: JSON.parse(sessionStorage.getItem(KEPT) ?? "null") as string[] | null,
}));

export function tabulate(ids: readonly string[] | null): void {
  sessionStorage.setItem(KEPT, JSON.stringify(ids));
  useTabled.setState({ ids });
  useTableChosen.setState(NONE);
}
