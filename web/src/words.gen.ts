// Written by core/outcome/console_test.go with -update; do not edit.

/** The phases of a job, in their order. */
export const phases = [
  "held",
  "placing",
  "node",
  "image",
  "setup",
  "join",
  "restore",
  "work",
  "save",
  "wipe"
] as const;

/** How many of the phases come before a job's own first step. */
export const delayPhases = 6;

/** What a job waits for, or does, in each phase. */
export const phaseMeaning: Record<string, string> = {
  "held": "waiting for the controller",
  "image": "pulling and unpacking images",
  "join": "agent reaching the controller",
  "node": "waiting for a node to boot",
  "placing": "waiting for room on nodes",
  "restore": "workspace cache coming in",
  "save": "workspace cache going out",
  "setup": "starting containers",
  "wipe": "cleaning up",
  "work": "the job itself"
};

/** What node time goes to. */
export const useNames: Record<string, string> = {
  "controller": "the controller",
  "empty": "empty room, nodes booting",
  "idle": "agents idle",
  "lost": "attempts cut short",
  "start": "agents starting",
  "stranded": "room too small for any agent",
  "work": "agents at work"
};

/** How a job can end, as rows say it. */
export const results = [
  "unfinished",
  "succeeded",
  "out-of-memory",
  "evicted",
  "out-of-disk",
  "timed-out",
  "taken-back",
  "dropped",
  "gave-up",
  "preempted",
  "spoiled",
  "no-tool",
  "forgotten",
  "orphaned"
];

