import type { Frame } from "../../api/client";

/** A frame's name without the kind of its file. */
export const stem = (f: Frame | undefined): string => f?.name.replace(/\.[^.]+$/, "") ?? "";
