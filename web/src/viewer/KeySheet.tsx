import { Dialog } from "radix-ui";
import { KEYS } from "./keys";

/** All that the viewer does by key. */
export function KeySheet({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[85vh] w-[44rem] max-w-[95vw] -translate-x-1/2 -translate-y-1/2 overflow-auto bg-paper p-6"
        >
          <Dialog.Title className="mb-3 text-xl font-semibold">Keys in the viewer</Dialog.Title>
          <dl className="grid grid-cols-[3rem_1fr_3rem_1fr] gap-x-3 gap-y-1.5">
            {KEYS.map((row) => (
              <div key={row.key} className="contents">
                <dt>
                  <kbd className="inline-block min-w-7 border border-[#8b8e8c] bg-white px-1.5 text-center font-sans">
                    {row.shown}
                  </kbd>
                </dt>
                <dd>{row.words}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-4 text-soft">
            The wheel zooms at the pointer; dragging the picture moves it. Drag the line's square to move it,
            its ring to turn it.
          </p>
          <Dialog.Close className="act mt-4">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
