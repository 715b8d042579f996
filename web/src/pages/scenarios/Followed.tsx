import { useState } from "react";
import { useFollowing, useLines } from "../../api/trend";
import { useMay } from "../../app/role";
import { Box, Text, TextButton } from "../../kit";
import { FollowForm } from "../trend/FollowForm";
import { SmallLines } from "../trend/SmallLines";

/** How a scenario is followed over builds: its lines, how seldom a false alarm is, when it is to be recorded again. */
export function Followed({ book, scenario }: { book: string; scenario: { id: number; name: string } }) {
  const following = useFollowing(book, scenario.id).data;
  const recheck = useLines(book, scenario.id).data?.rechecks.find((r) => r.scenario.id === scenario.id);
  const [changing, setChanging] = useState(false);
  const may = useMay();
  if (!following) return null;
  return (
    <Box sx={{ marginTop: 18 }}>
      <SmallLines book={book} scenario={scenario.id} />
      <Text small tone="faded" sx={{ marginTop: 4 }}>
        One false alarm in {following.false_alarm_in} builds of a line.{" "}
        {recheck?.overdue ? <b>{recheck.sentence}</b> : (recheck?.sentence ?? "It is never overdue.")}{" "}
        {may.write && (
          <TextButton small onClick={() => setChanging(true)}>
            Follow it otherwise
          </TextButton>
        )}
      </Text>
      {changing && (
        <FollowForm book={book} scenario={scenario} following={following} close={() => setChanging(false)} />
      )}
    </Box>
  );
}
