import { useRef } from "react";

/**
 * For a dialog that no button of its own opens: once it is closed, the focus is where it was before. Given to its
 * content.
 */
export function useFocusBack() {
  const before = useRef<Element | null>(null);
  return {
    onOpenAutoFocus: () => {
      before.current = document.activeElement;
    },
    onCloseAutoFocus: (event: Event) => {
      if (!(before.current instanceof HTMLElement) || !before.current.isConnected) return;
      event.preventDefault();
      before.current.focus();
    },
  };
}
