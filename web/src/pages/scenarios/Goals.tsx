export const Goals = ({ book, scenario }: { book: string; scenario: number }) => (
  <span hidden>
    {book} {scenario}
  </span>
);
