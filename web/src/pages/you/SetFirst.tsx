import Button from "@mui/material/Button";
import { useSession, useSignOut } from "../../api/queries";
import { useTitle } from "../../app/head";
import { Box, PageTitle, Pile, Text, TextButton } from "../../kit";
import { SecondFactor } from "./SecondFactor";
import { Password } from "./YouPage";

/** Where the server wants a second factor and there is none: nothing else is shown until it is set. */
export default function SetFirst({ goOn }: { goOn: () => void }) {
  const session = useSession().data;
  const leave = useSignOut();
  useTitle("A second factor");
  if (!session) return null;
  return (
    <Box component="main" sx={{ maxWidth: 760, margin: "48px auto", padding: "0 16px" }}>
      <Pile sx={{ gap: 22 }}>
        <div>
          <PageTitle>{session.user}</PageTitle>
          <Text role="status">
            {session.second_factor_wanted
              ? "This server wants a second factor of you. Set one, and everything else opens."
              : "A second factor is set."}
          </Text>
        </div>
        {!session.has_password && <Password has={false} name={session.user} />}
        <SecondFactor on={session.second_factor} password={session.has_password} />
        {!session.second_factor_wanted && (
          <Button variant="contained" sx={{ justifySelf: "start" }} onClick={goOn}>
            Go on
          </Button>
        )}
        <div>
          <TextButton small faded disabled={leave.isPending} onClick={() => leave.mutate()}>
            sign out
          </TextButton>
        </div>
      </Pile>
    </Box>
  );
}
