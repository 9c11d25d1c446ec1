// A control that shows what was chosen at once, whatever older answers come in before the service has it.

import { useState } from "react";

/** What is shown of a value that the service keeps, and a way to wish for another until that is there. */
export function useWished<T>(actual: T): [shown: T, wish: (value: T, until: Promise<unknown>) => void] {
  const [wished, setWished] = useState<{ value: T } | null>(null);
  const wish = (value: T, until: Promise<unknown>) => {
    const mine = { value };
    setWished(mine);
    // Of two wishes the second stands until its own answer.
    void until.finally(() => setWished((now) => (now === mine ? null : now)));
  };
  return [wished ? wished.value : actual, wish];
}
