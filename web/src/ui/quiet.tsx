import { createElement, memo, useRef, type ComponentType } from "react";

type Call = (...a: unknown[]) => unknown;

/**
 * A component that is drawn again only where what it shows has changed: what it calls when something is done is always the newest, and no reason to draw it.
 * For components that call none of their functions while they are drawn.
 */
export function quiet<P extends object>(component: ComponentType<P>): ComponentType<P> {
  const Shown = memo(component);
  return function Quiet(p: P) {
    const latest = useRef(p as Record<string, unknown>);
    latest.current = p as Record<string, unknown>;
    const stable = useRef<Record<string, Call>>({});
    const props = Object.fromEntries(
      Object.entries(p).map(([name, value]) => {
        if (typeof value !== "function") return [name, value];
        stable.current[name] ??= (...a) => (latest.current[name] as Call)(...a);
        return [name, stable.current[name]];
      }),
    );
    return createElement(Shown, props as P);
  };
}
