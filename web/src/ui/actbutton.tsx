import { useRef, type ReactNode } from "react";

import { actions, type ActionID } from "./actions";
import { keyOf, keySign, useActions } from "./keys";
import { tell } from "./notices";

/** A button whose act has a key, and is found by its name: both do what pressing it does, and say so where there is nothing to do. */
export function ActButton(p: { act: ActionID; className?: string; disabled?: boolean; onClick: () => void; children: ReactNode }) {
  const button = useRef<HTMLButtonElement>(null);
  const { does } = actions.find((a) => a.id === p.act)!;
  useActions({ [p.act]: () => (button.current!.disabled ? tell(`Nothing to do just now: ${does}.`) : button.current!.click()) });
  const key = keySign(keyOf(p.act));
  return (
    <button
      ref={button}
      className={p.className ?? "pill-act"}
      disabled={p.disabled}
      title={key ? `${does} (${key})` : does}
      onClick={p.onClick}
    >
      {p.children}
    </button>
  );
}
