/** Figures go into other programs by Ctrl C under the pointer, pictures by dragging them out. */

const STORED = /\/api\/pictures\/([0-9a-f]{64})\//;

/** What of a page's picture is dragged into another program: the stored file, named by what is written of it. */
export function draggedFile(
  source: string,
  title: string,
  origin: string,
): { link: string; download: string } | null {
  const digest = STORED.exec(source)?.[1];
  if (!digest) return null;
  const name = title.replace(/[^\p{L}\p{N}._-]+/gu, " ").trim() || digest.slice(0, 8);
  const link = `${origin}/api/pictures/${digest}/file/`;
  return { link, download: `image/x-exr:${name.slice(0, 80)}.exr:${link}` };
}

/** The figure under the pointer, or the one that has the focus. */
function figureHere(): HTMLElement | null {
  const under = document.querySelectorAll<HTMLElement>("[data-copy]:hover");
  return under[under.length - 1] ?? document.activeElement?.closest<HTMLElement>("[data-copy]") ?? null;
}

/** Listen for both; `said` is told what was copied. Returns what ends it. */
export function carryOut(said: (text: string) => void): () => void {
  const copy = (event: ClipboardEvent) => {
    const selected = document.getSelection();
    const typing = event.target instanceof Element && event.target.closest("input, textarea, select");
    if (typing || (selected && !selected.isCollapsed)) return;
    const text = figureHere()?.dataset.copy;
    if (!text) return;
    event.clipboardData?.setData("text/plain", text);
    event.preventDefault();
    said(text);
  };
  const drag = (event: DragEvent) => {
    const from =
      event.target instanceof Element ? event.target.closest<HTMLElement>("img, [data-picture]") : null;
    const source = from instanceof HTMLImageElement ? from.src : `/api/pictures/${from?.dataset.picture}/`;
    const title = from instanceof HTMLImageElement ? from.alt : (from?.textContent ?? "");
    const file = draggedFile(source, title, window.location.origin);
    if (!file || !event.dataTransfer) return;
    event.dataTransfer.setData("text/uri-list", file.link);
    event.dataTransfer.setData("text/plain", file.link);
    event.dataTransfer.setData("DownloadURL", file.download);
    event.dataTransfer.effectAllowed = "copy";
  };
  document.addEventListener("copy", copy);
  document.addEventListener("dragstart", drag);
  return () => {
    document.removeEventListener("copy", copy);
    document.removeEventListener("dragstart", drag);
  };
}
