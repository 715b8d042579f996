import { Link, Navigate, useParams } from "react-router";
import { useLineOf } from "../../api/trend";
import { Failure, Loading } from "../../app/states";
import { PageTitle } from "../../kit";

/** The line that a recording of one build belongs to. */
export default function LineOfRecording() {
  const { book = "", id = "" } = useParams();
  const query = useLineOf(id);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!query.data) return <Loading what="the line" />;
  if (query.data.placed) return <Navigate to={query.data.path} replace />;
  return (
    <article>
      <PageTitle>{query.data.build} has no place yet</PageTitle>
      <p>
        It was recorded, and enters its line once it has a{" "}
        <Link to={`/${book}/trend/order`}>place in the order of builds</Link>.
      </p>
    </article>
  );
}
