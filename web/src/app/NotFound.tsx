import { Link } from "react-router";

export function NotFound() {
  return (
    <main className="p-10">
      <h1 className="mb-2 text-xl font-semibold">There is nothing at this address.</h1>
      <Link to="/" className="text-choice underline">
        Go to the projects
      </Link>
    </main>
  );
}
