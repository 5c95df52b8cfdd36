// What came with the program is made up: on a bench of real things it is folded away until somebody asks for it.
interface Props {
  count: number;
  open: boolean;
  onToggle: () => void;
}

export function ExamplesFold({ count, open, onToggle }: Props) {
  if (!count) return null;
  return (
    <button type="button" aria-expanded={open} className="self-start rounded px-1 text-[0.95rem] text-mint-ink underline" onClick={onToggle}>
      {open ? "Put the made-up examples away" : `Examples, made up (${count})`}
    </button>
  );
}
