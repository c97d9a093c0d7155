import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { Link, useNavigate } from "react-router";
import { type Schema, upload } from "../../api/client";
import { askAgain } from "../../api/events";

/** Imports a study bundle, whole or not at all, and goes to the study. */
export function TakeIn() {
  const input = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("file", file);
      return upload<Schema["ImportedStudy"]>("/api/studies/import/", form);
    },
    onSuccess: (made) => {
      void askAgain(queries, "runs", "measured");
      if (made.not_carried.length === 0) void navigate(`/studies/${made.study}`);
    },
  });
  return (
    <>
      <button type="button" className="act" disabled={take.isPending} onClick={() => input.current?.click()}>
        {take.isPending ? "Importing …" : "Import study"}
      </button>
      <input
        ref={input}
        type="file"
        hidden
        accept=".zip"
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          if (file) take.mutate(file);
          event.target.value = "";
        }}
      />
      {take.data && take.data.not_carried.length > 0 ? (
        <span role="status" className="max-w-[32rem] text-sm">
          <Link to={`/studies/${take.data.study}`} className="link">
            {take.data.question}
          </Link>{" "}
          is here, with its pictures and figures. {take.data.not_carried.join(". ")}. More renders need them.
        </span>
      ) : null}
      {take.error ? (
        <span role="alert" className="max-w-96 text-fault text-sm">
          {take.error.message}
        </span>
      ) : null}
    </>
  );
}
