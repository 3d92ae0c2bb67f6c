import { Answer, Empty } from "../../ui/parts";
import { AddScreen, type Followed } from "./AddScreen";
import { Machine } from "./Machine";
import { useScreens } from "./queries";
import "./screens.css";

/** One's own simulated devices side by side, and the way to one more. */
export function Machines({ choices }: { choices: Followed[] }) {
  const screens = useScreens();
  return (
    <Answer of={screens} rows={4}>
      {({ items, hosted }) =>
        hosted ? (
          <>
            <div className="machine" style={{ marginBottom: 14 }}>
              <AddScreen choices={choices} />
            </div>
            {items.length > 0 ? (
              <div className="screens">
                {items.map((screen) => (
                  <Machine key={screen.device} screen={screen} />
                ))}
              </div>
            ) : (
              <Empty>You have no simulated device yet. Add one: it has a key of its own, and installs for real.</Empty>
            )}
          </>
        ) : (
          <Empty command="bin/up">No simulated devices run beside this service. This starts them with everything else:</Empty>
        )
      }
    </Answer>
  );
}
