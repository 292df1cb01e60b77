import { page } from "./page";

export default page("formula", {
  summary: (step) => step.text,
  first: () => ({ text: "where(random(5) < 0.14, 1, random(3) * 0.8)" }),
});
