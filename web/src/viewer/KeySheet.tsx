import { Dialog } from "radix-ui";
import { DialogBox } from "../parts/DialogBox";
import { KEY_GROUPS } from "./keys";

/** All that the viewer does by key. */
export function KeySheet({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <DialogBox
      title="Keys in the viewer"
      titleClass="mb-2 text-xl font-semibold"
      open={open}
      onOpenChange={onOpenChange}
      place="middle"
      className="w-[70rem] px-6 py-4"
    >
      <div className="columns-3 gap-6">
        {KEY_GROUPS.map((group) => (
          <section key={group.title} className="mb-3 break-inside-avoid">
            <h3 className="mb-1 border-line border-b font-semibold">{group.title}</h3>
            <dl className="grid grid-cols-[2.6rem_1fr] gap-x-2 gap-y-0.5 text-sm">
              {group.rows.map((row) => (
                <div key={row.key} className="contents">
                  <dt>
                    <kbd className="inline-block min-w-7 border border-edge bg-field px-1.5 text-center font-sans">
                      {row.shown}
                    </kbd>
                  </dt>
                  <dd>{row.words}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
      <p className="text-soft text-sm">
        The wheel and a pinch zoom at the pointer; dragging, or two fingers on a touch pad, move the picture.
        Drag the line's square to move it, its ring to turn it.
      </p>
      <Dialog.Close className="act mt-2">Close</Dialog.Close>
    </DialogBox>
  );
}
