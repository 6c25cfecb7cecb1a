/** By when the owner would like to know. */
export function Due({ due, onSet }: { due: string | null; onSet: (due: string | null) => void }) {
  return (
    <label>
      Wanted by{" "}
      <input
        type="date"
        value={due ?? ""}
        onChange={(event) => onSet(event.target.value || null)}
        style={{ font: "inherit", minHeight: 26 }}
      />
    </label>
  );
}
