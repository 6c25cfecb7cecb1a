/** From a figure's or a check's name to its page of methods. */
import { Link } from "react-router";
import { measure, measureItself } from "../wording";
import { methodAddress } from "./methodAddress";

export function MeasureLink({ name }: { name: string }) {
  const itself = measureItself(name);
  return itself ? <Link to={methodAddress("measure", itself)}>{measure(name)}</Link> : <>{measure(name)}</>;
}
