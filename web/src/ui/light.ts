// Day or night: follows the system until the user chooses.
import { useSyncExternalStore } from "react";

const key = "loom.light";
const listeners = new Set<() => void>();

export function light(): "day" | "night" {
  const chosen = localStorage.getItem(key);
  if (chosen === "day" || chosen === "night") return chosen;
  return window.matchMedia?.("(prefers-color-scheme: dark)").matches ? "night" : "day";
}

export function applyLight() {
  document.documentElement.dataset.light = light();
}

export function toggleLight() {
  localStorage.setItem(key, light() === "day" ? "night" : "day");
  applyLight();
  listeners.forEach((f) => f());
}

export function useLight() {
  return useSyncExternalStore((f) => {
    listeners.add(f);
    return () => listeners.delete(f);
  }, light);
}
