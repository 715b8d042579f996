import { useTitle } from "../../app/head";
import { PageTitle, Text } from "../../kit";
import { NameOfBook } from "./NameOfBook";

/** A book for another program under test; who makes it owns it. */
export default function NewBookPage() {
  useTitle("A new book");
  return (
    <>
      <PageTitle>A new book</PageTitle>
      <Text tone="faded" sx={{ margin: "4px 0 16px" }}>
        A book holds everything about one program: its scenarios, runs, entries and goals. You will own it.
      </Text>
      <NameOfBook />
    </>
  );
}
