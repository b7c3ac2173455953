import { useEffect, useRef, useState } from "react";

/** Tells whether an element has come into view, once and for all. */
export function useSeen(): [boolean, React.RefObject<HTMLParagraphElement | null>] {
  const ref = useRef<HTMLParagraphElement>(null);
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    if (seen || !ref.current) return;
    const observer = new IntersectionObserver((entries) => entries.some((e) => e.isIntersecting) && setSeen(true), { rootMargin: "200px" });
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, [seen]);
  return [seen, ref];
}
