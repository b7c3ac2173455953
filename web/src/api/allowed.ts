import type { Command } from "./client";

/** The command with the user's yes to what it asks about; of several, those that ask. */
export function allowed(c: Command): Command {
  switch (c.kind) {
    case "moveClips":
    case "slipClip":
    case "cutOut":
    case "pasteClips":
      return { ...c, command: { ...c.command, untie: true } } as Command;
    case "removeTracks":
    case "setStem":
    case "removeStem":
    case "setMix":
    case "removeMixes":
    case "setGroup":
    case "removeGroups":
      return { ...c, command: { ...c.command, yes: true } } as Command;
    case "several":
      return { ...c, command: { commands: c.command.commands.map(allowed) } };
  }
  return c;
}
