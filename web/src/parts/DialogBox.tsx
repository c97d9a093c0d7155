import { Dialog } from "radix-ui";
import { type ReactNode, useRef } from "react";

const PLACES = {
  above: "-translate-x-1/2 top-[12vh] left-1/2 max-h-[76vh] border border-edge",
  beside: "inset-y-0 right-0",
  middle: "-translate-x-1/2 -translate-y-1/2 top-1/2 left-1/2 max-h-[92vh]",
  /** beside the picture that it is about, which is not dimmed */
  near: "-translate-x-1/2 top-24 left-1/3 border border-edge",
};

/** A dialog. Once it is closed, the focus is where it was before, whatever opened it. */
export function DialogBox(props: {
  title: ReactNode;
  about?: ReactNode;
  open?: boolean;
  onOpenChange: (open: boolean) => void;
  /** A button that opens it, where there is one. */
  trigger?: ReactNode;
  place: keyof typeof PLACES;
  /** Its width and, where other than usual, its padding. */
  className: string;
  titleClass?: string;
  children: ReactNode;
}) {
  const { titleClass = "font-semibold text-lg", open = true } = props;
  const before = useRef<Element | null>(null);
  return (
    <Dialog.Root open={open} onOpenChange={props.onOpenChange}>
      {props.trigger}
      <Dialog.Portal>
        {props.place === "near" ? null : <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />}
        <Dialog.Content
          {...(props.about ? {} : { "aria-describedby": undefined })}
          className={`fixed z-50 max-w-[95vw] overflow-auto bg-paper ${PLACES[props.place]} ${props.className}`}
          onOpenAutoFocus={() => {
            before.current = document.activeElement;
          }}
          onCloseAutoFocus={(event) => {
            if (!(before.current instanceof HTMLElement) || !before.current.isConnected) return;
            event.preventDefault();
            before.current.focus();
          }}
        >
          <Dialog.Title className={titleClass}>{props.title}</Dialog.Title>
          {props.about ? (
            <Dialog.Description className="mt-1 text-soft text-sm">{props.about}</Dialog.Description>
          ) : null}
          {props.children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
