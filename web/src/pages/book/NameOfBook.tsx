import { useNavigate } from "react-router";
import { useMakeBook } from "../../api/people";
import { required, Sending, text, useSheet, Written } from "../../form";
import { SheetForm } from "../../kit";

/** The form that opens a book. */
export function NameOfBook() {
  const make = useMakeBook();
  const navigate = useNavigate();
  const sheet = useSheet({
    values: { name: "" },
    send: make.mutateAsync,
    sent: (book) => navigate(`/${book.slug}`),
  });
  return (
    <SheetForm noValidate onSubmit={sheet.submit} sx={{ maxWidth: 420 }}>
      <Written
        of={sheet}
        name="name"
        label="Name of the program under test"
        rules={{ ...required, ...text(120) }}
      />
      <Sending of={sheet} verb="Open the book" />
    </SheetForm>
  );
}
