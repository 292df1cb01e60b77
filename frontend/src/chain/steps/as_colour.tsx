import { page } from "./page";

export default page("as_colour", {
  summary: (step) => `red ${step.red}, green ${step.green}, blue ${step.blue}`,
});
