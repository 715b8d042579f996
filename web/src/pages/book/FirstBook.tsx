import { Note, PageTitle } from "../../kit";
import { NameOfBook } from "./NameOfBook";

/** For who is signed in and has no book. */
export default function FirstBook() {
  return (
    <Note sx={{ margin: 24 }}>
      <PageTitle>No book is open to you yet</PageTitle>
      <p>Ask the owner of one to add you, or make the first yourself.</p>
      <NameOfBook />
    </Note>
  );
}
