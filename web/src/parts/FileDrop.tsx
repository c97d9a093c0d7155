import { type ReactNode, useRef, useState } from "react";

/** A place to drop files on, which is a button for choosing them as well. */
export function FileDrop({
  accept,
  many = false,
  onFiles,
  children,
}: {
  accept: string;
  many?: boolean;
  onFiles: (files: File[]) => void;
  children: ReactNode;
}) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  return (
    <>
      <button
        type="button"
        data-over={over}
        className="w-full border border-edge border-dashed bg-field px-4 py-5 text-left data-[over=true]:border-ink data-[over=true]:bg-wash"
        onClick={() => input.current?.click()}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          onFiles([...event.dataTransfer.files]);
        }}
      >
        {children}
      </button>
      <input
        ref={input}
        type="file"
        hidden
        multiple={many}
        accept={accept}
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </>
  );
}
