/** Buttons: one filled for a page's main action, the rest quiet with an edge. */
import type { ComponentProps, ReactNode } from "react";

type Kind = "main" | "plain" | "bare" | "danger";

const LOOKS: Record<Kind, string> = {
  main: "bg-action text-on-action font-semibold hover:bg-action-over",
  plain: "border border-edge bg-surface hover:bg-sunken",
  bare: "hover:bg-sunken",
  danger: "border border-wrong text-wrong bg-surface hover:bg-wrong-wash",
};

interface Props extends Omit<ComponentProps<"button">, "ref"> {
  kind?: Kind;
  children: ReactNode;
}

export function buttonLook(kind: Kind = "plain"): string {
  return `rounded-control inline-flex items-center gap-1.5 px-2.5 py-1 whitespace-nowrap cursor-pointer disabled:cursor-default disabled:opacity-45 ${LOOKS[kind]}`;
}

export function Button({ kind = "plain", className = "", type = "button", ...rest }: Props) {
  return <button type={type} className={`${buttonLook(kind)} ${className}`} {...rest} />;
}
