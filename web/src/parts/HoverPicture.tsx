import { HoverCard } from "radix-ui";
import type { ReactNode } from "react";

/** Words that show a render's small picture while the pointer rests on them; plain words where there is no picture. */
export function HoverPicture({ picture, children }: { picture: string; children: ReactNode }) {
  if (!picture) return <>{children}</>;
  return (
    <HoverCard.Root openDelay={200} closeDelay={0}>
      <HoverCard.Trigger asChild>
        <span>{children}</span>
      </HoverCard.Trigger>
      <HoverCard.Portal>
        <HoverCard.Content side="bottom" align="start" sideOffset={4} className="pointer-events-none z-50">
          <img src={`/api/pictures/${picture}/thumbnail/`} alt="" className="w-60 border border-edge" />
        </HoverCard.Content>
      </HoverCard.Portal>
    </HoverCard.Root>
  );
}
