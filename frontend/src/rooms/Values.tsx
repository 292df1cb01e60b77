/** The values that the elements carry; pointing at one previews it in the view in greys. */
import { NONE, showPreview, useStore } from "../state/store";
import { Bars } from "../widgets/Distribution";

export function Values() {
  const attributes = useStore((s) => s.geometry[s.chosen]?.header.attributes ?? NONE);
  const preview = useStore((s) => s.preview);
  return (
    <section aria-label="Values" onPointerLeave={() => showPreview(null)}>
      <div className="mb-1 flex justify-between">
        <h2 className="heading">Values</h2>
        <span className="heading font-normal">per clone</span>
      </div>
      <ul>
        {attributes.map((a) => {
          const shown = preview === a.name;
          const body = (
            <>
              <span className="min-w-0 grow truncate text-left">
                {a.name}
                {a.derived && <span className="text-soft"> derived</span>}
              </span>
              <span className="w-16 flex-none">
                {a.census ? (
                  <Bars of={a.census} height={16} label={`Distribution of ${a.name}`} />
                ) : (
                  <span className="block text-right text-[11px] text-soft">{a.texts} texts</span>
                )}
              </span>
            </>
          );
          return (
            <li key={a.name}>
              <button
                type="button"
                disabled={a.kind === "text"}
                className={`flex h-6.5 w-full items-center gap-2 rounded px-1.5 ${shown ? "bg-well outline outline-ink" : ""}`}
                title={`${a.kind}${a.width > 1 ? ` of ${a.width}` : ""}; point at it to see it in greys`}
                onPointerEnter={() => showPreview(a.kind === "text" ? null : a.name)}
                onFocus={(e) => e.currentTarget.matches(":focus-visible") && showPreview(a.name)}
                onBlur={() => showPreview(null)}
              >
                {body}
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
