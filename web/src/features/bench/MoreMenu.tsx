// What else can be done with a deployment on the bench.
import { Ellipsis } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { Deployment } from "../../api/client";
import { useTakeOff } from "../../ui/TakeOff";

export function MoreMenu({ deployment, className }: { deployment: Deployment; className: string }) {
  const takeOff = useTakeOff();
  return (
    <DropdownMenu.Root defaultOpen>
      <DropdownMenu.Trigger aria-label={`More for ${deployment.name}`} className={className}>
        <Ellipsis size={17} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className="z-40 rounded-lg border border-rule bg-sheet p-1 shadow-lg">
          <DropdownMenu.Item className="cursor-pointer rounded px-3 py-1.5 data-[highlighted]:bg-rule-2" onSelect={() => takeOff({ kind: "deployment", id: deployment.id, name: deployment.name })}>
            Take it off the bench
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
