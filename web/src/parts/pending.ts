/** What was typed and is still being read and kept: whoever acts on all that is on the screen waits for it. */

const open = new Set<Promise<unknown>>();

/** Remember a piece of work until it is done. */
export function pending(work: Promise<unknown>): void {
  open.add(work);
  const done = () => void open.delete(work);
  work.then(done, done);
}

/** Until nothing that was typed is on its way any more. */
export async function settled(): Promise<void> {
  while (open.size) await Promise.allSettled([...open]);
}
