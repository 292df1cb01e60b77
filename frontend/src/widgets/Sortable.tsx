/** Lists whose items are put in another order by dragging, by the keyboard, and with announcements for screen readers. */
import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { rectSortingStrategy, SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";

interface Props {
  /** The keys of the items as they are shown. */
  keys: number[];
  nameOf: (key: number) => string;
  /** Put the item at one place of what is shown at another. */
  onMove: (from: number, to: number) => void;
  grid?: boolean;
  children: React.ReactNode;
}

export function Sortable({ keys, nameOf, onMove, grid, children }: Props) {
  const sensors = useSensors(
    // A press that does not move is a click.
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const place = (key: unknown) => `${keys.indexOf(Number(key)) + 1} of ${keys.length}`;
  const name = (key: unknown) => nameOf(Number(key));
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      accessibility={{
        screenReaderInstructions: { draggable: "Press space to take it, arrow keys to move it, space to drop it, Escape to leave it." },
        announcements: {
          onDragStart: ({ active }) => `Moving ${name(active.id)} from place ${place(active.id)}.`,
          onDragOver: ({ active, over }) => (over ? `${name(active.id)} over place ${place(over.id)}.` : undefined),
          // What was moved is told by whoever moves it.
          onDragEnd: ({ active, over }) => (over && over.id !== active.id ? undefined : `${name(active.id)} stays where it was.`),
          onDragCancel: ({ active }) => `${name(active.id)} stays where it was.`,
        },
      }}
      onDragEnd={({ active, over }) => {
        const [from, to] = [keys.indexOf(Number(active.id)), keys.indexOf(Number(over?.id))];
        if (to >= 0 && from !== to) onMove(from, to);
      }}
    >
      <SortableContext items={keys} strategy={grid ? rectSortingStrategy : verticalListSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}

/** What an item needs: a reference and a style for itself, and what takes hold of it. */
export function useSortableItem(key: number) {
  const { setNodeRef, setActivatorNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({ id: key });
  const style = { transform: CSS.Translate.toString(transform), transition, zIndex: isDragging ? 2 : undefined };
  return { item: { ref: setNodeRef, style }, handle: { ref: setActivatorNodeRef, ...attributes, ...listeners }, isDragging };
}
