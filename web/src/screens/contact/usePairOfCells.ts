import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, body } from "../../api/client";
import { optionTitle } from "../../parts/format";
import type { Cell } from "./cells";

/** Two cells, clicked one after the other, become control and trial of a pair, at their zone. */
export function usePairOfCells(zone: string) {
  const [control, setControl] = useState<Cell | null>(null);
  const navigate = useNavigate();
  const make = useMutation({
    mutationFn: (options: { control: number; trial: number; zone: string }) =>
      body(api.POST("/api/pairs/", { body: { control: options.control, trial: options.trial } })),
    onSuccess: ({ pair }, options) =>
      navigate(
        `/pairs/${pair}${options.zone && options.zone !== "whole" ? `?zone=${encodeURIComponent(options.zone)}` : ""}`,
      ),
    onError: () => setControl(null),
  });
  return {
    control,
    error: make.error,
    sentence: control
      ? `${titled(control.title)} is the control; choose the trial, or the same cell again to let go.`
      : "Choose two cells to look at them as a pair: first the control, then the trial.",
    choose: (cell: Cell) => {
      if (cell.option == null) return;
      if (!control) setControl(cell);
      else if (control.option === cell.option) setControl(null);
      else if (control.option != null)
        make.mutate({ control: control.option, trial: cell.option, zone: zone || cell.zone });
    },
    clear: () => setControl(null),
  };
}

function titled(title: string): string {
  const words = optionTitle(title);
  return words.slice(0, 1).toUpperCase() + words.slice(1);
}

export type PairOfCells = ReturnType<typeof usePairOfCells>;
