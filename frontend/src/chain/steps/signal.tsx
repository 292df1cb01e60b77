import { page } from "./page";

export default page("signal", {
  summary: (step) => step.name,
  first: ({ signal }) => ({ name: signal }),
});
