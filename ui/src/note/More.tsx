import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { KeyCap } from "../frame/keys";

/** More holds the acts that are wanted less often, each with its key. */
export function More({ items }: { items: { label: string; k: string; run: () => void }[] }) {
  return (
    <Menu as="div" className="relative">
      <MenuButton className="plain">More…</MenuButton>
      <MenuItems
        modal={false}
        className="absolute bottom-full left-0 z-20 mb-1 w-60 border border-edge bg-leaf py-1 text-aside focus:outline-none"
      >
        {items.map((i) => (
          <MenuItem key={i.label}>
            <button
              type="button"
              className="flex w-full items-baseline justify-between px-3 py-1 text-left data-focus:bg-kelp-wash"
              onClick={i.run}
            >
              {i.label} <KeyCap k={i.k} />
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
