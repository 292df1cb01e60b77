import { useStore } from "./base";

/** Endings of the files that can be brought, as a file chooser takes them; those of small meshes with "shapes". */
export function useEndings(of: "all" | "shapes" = "all"): string {
  return useStore((s) => s.formats.filter((form) => of === "all" || form.shapes).flatMap((form) => form.endings).join());
}
