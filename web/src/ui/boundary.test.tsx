// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import { Boundary } from "./boundary";
import { Missing } from "./missing";

afterEach(cleanup);

it("keeps the page when a part can't be drawn, and draws it again when it can", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  let broken = true;
  function Part() {
    if (broken) throw new Error("no such clip");
    return <p>drawn</p>;
  }
  const page = (of: string) => (
    <Boundary of={of}>
      <Part />
    </Boundary>
  );
  const { rerender } = render(page("/a"));
  expect(screen.getByRole("alert").textContent).toContain("Nothing that was done is lost");
  broken = false;
  fireEvent.click(screen.getByText("Draw it again"));
  screen.getByText("drawn");
  broken = true;
  rerender(page("/a"));
  screen.getByRole("alert");
  broken = false;
  rerender(page("/b")); // somewhere else
  screen.getByText("drawn");
  vi.restoreAllMocks();
});

it("says why something is missing, once, and fetches it again", () => {
  const refetch = vi.fn(() => Promise.resolve({ error: null }));
  const failed = { data: undefined, error: new Error("The server can't be reached"), isFetching: false, refetch };
  const { rerender } = render(<Missing of={[failed, failed]} />);
  expect(screen.getAllByText("The server can't be reached")).toHaveLength(1);
  fireEvent.click(screen.getByText("Try again"));
  expect(refetch).toHaveBeenCalledTimes(2);
  rerender(<Missing of={[{ ...failed, data: [] }]} />); // what was fetched before is better than nothing
  expect(screen.queryByRole("alert")).toBeNull();
});
