import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, body } from "../../api/client";
import type { SideName } from "../../parts/Side";
import type { Row } from "./rows";

/** Picks a control and a trial among the rows, one after the other, and looks at their pair. */
export function usePairing() {
  const [sides, setSides] = useState<{ control: Row | null; trial: Row | null }>({
    control: null,
    trial: null,
  });
  const navigate = useNavigate();
  const making = useMutation({
    mutationFn: (options: { control: number; trial: number }) =>
      body(api.POST("/api/pairs/", { body: options })),
    onSuccess: ({ pair }) => navigate(`/pairs/${pair}`),
  });
  const { control, trial } = sides;
  return {
    control,
    trial,
    error: making.error,
    choose: (row: Row) =>
      setSides((now) => {
        if (now.control?.id === row.id) return { control: now.trial, trial: null };
        if (now.trial?.id === row.id) return { ...now, trial: null };
        return now.control ? { ...now, trial: row } : { control: row, trial: null };
      }),
    look: () => {
      if (control && trial) making.mutate({ control: control.option, trial: trial.option });
    },
    clear: () => setSides({ control: null, trial: null }),
    sideOf: (row: Row | undefined): SideName | null =>
      row && row.id === control?.id ? "control" : row && row.id === trial?.id ? "trial" : null,
  };
}

export type Pairing = ReturnType<typeof usePairing>;
