/** The way to the next useful thing to do; for whoever is there already, how to do it. */
import { Link, useLocation } from "react-router";
import type { NextStep } from "../../domain/nextStep";

interface Props {
  projectId: number;
  step: NextStep;
  className: string;
}

export function NextStepLink({ projectId, step, className }: Props) {
  const { pathname, search } = useLocation();
  const to = `/p/${projectId}/${step.to}`;
  const there = to === pathname || to === `${pathname}${search}`;
  if (there) return step.here && <b className="text-ink">{step.here}</b>;
  if (!step.action) return null;
  return (
    <Link to={to} className={className}>
      {step.action}
    </Link>
  );
}
