import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, describe, expect, it } from "vitest";
import { useForm } from "./formFields";
import { milli, parsed, wrongWith } from "./number";
import { NumberEntry } from "./NumberEntry";

afterEach(cleanup);

describe("a number as it is typed", () => {
  it("has a decimal point or a comma, and is nothing else", () => {
    expect(["0.5", "1,5", " −3 ", "+2", ".5", "5.", "1e-6", "2,5E3"].map(parsed)).toEqual([
      0.5, 1.5, -3, 2, 0.5, 5, 1e-6, 2500,
    ]);
    expect(["", "1,2,3", "1.234,5", "12a", "0x10", "Infinity", "1e999", "- 3", "1 000"].map(parsed)).toEqual(
      Array(9).fill(null),
    );
  });
  it("is refused with a sentence", () => {
    expect(wrongWith("1,2,3", {})).toBe("“1,2,3” is no number.");
    expect(wrongWith("", {})).toBe("Give a number.");
    expect(wrongWith("", { empty: true })).toBe("");
    expect(wrongWith("2.5", { whole: true })).toBe("Give a whole number.");
    expect(wrongWith("9", { least: 0, most: 8 })).toBe("Give a number from 0 to 8.");
    expect(milli(0.0333)).toBe(33.3);
  });
});

/** Two fields of a form, as a page has them. */
function Form() {
  const [values, setValues] = useState<(number | null)[]>([5, 5]);
  const fields = useForm();
  const set = (place: number, value: number | null): void =>
    setValues(values.map((old, n) => (n === place ? value : old)));
  return fields.within(
    <>
      <NumberEntry label="First" value={values[0]} onValue={(value) => set(0, value)} width={90} least={0} />
      <NumberEntry label="Second" value={values[1]} onValue={(value) => set(1, value)} width={90} empty />
      <button
        onClick={() => {
          setValues([7, 7]);
          fields.reset();
        }}
      >
        Discard
      </button>
      <button onClick={() => setValues([values[1] ?? 0, values[0] ?? 0])}>Move</button>
      <output>{JSON.stringify({ values, wrong: fields.wrong })}</output>
    </>,
  );
}

const box = (label: string): HTMLInputElement => screen.getByLabelText(label);
const stands = (): { values: (number | null)[]; wrong: string } =>
  JSON.parse(screen.getByRole("status").textContent ?? "") as { values: number[]; wrong: string };

describe("a number field", () => {
  it("takes what is typed key by key, with a point or a comma", async () => {
    render(<Form />);
    await userEvent.tripleClick(box("First"));
    for (const key of "0.5") await userEvent.keyboard(key);
    expect(box("First").value).toBe("0.5");
    await userEvent.tripleClick(box("Second"));
    for (const key of "1,5") await userEvent.keyboard(key);
    expect(box("Second").value).toBe("1,5");
    expect(stands().values).toEqual([0.5, 1.5]);
    await userEvent.tripleClick(box("First"));
    await userEvent.keyboard("300");
    expect(stands().values).toEqual([300, 1.5]);
    await userEvent.tab();
    expect(box("Second").value).toBe("1.5"); // once it is left it shows what is in force
  });

  it("says what is wrong, keeps the number in force, and its form knows", async () => {
    render(<Form />);
    await userEvent.clear(box("First"));
    await userEvent.type(box("First"), "1,2,3");
    expect(stands()).toEqual({ values: [1.2, 5], wrong: "First: “1,2,3” is no number." });
    expect(screen.getByRole("alert").textContent).toBe("“1,2,3” is no number.");
    await userEvent.clear(box("First"));
    await userEvent.type(box("First"), "-4");
    expect(stands().wrong).toBe("First: Give 0 or more.");
    await userEvent.clear(box("First"));
    expect(stands().wrong).toBe("First: Give a number.");
    await userEvent.clear(box("Second"));
    await userEvent.tab();
    expect(stands().values[1]).toBeNull();
    expect(box("Second").placeholder).toBe("none");
  });

  it("shows what is in force after Discard and after rows have changed places", async () => {
    render(<Form />);
    await userEvent.clear(box("First"));
    await userEvent.type(box("First"), "nonsense");
    await userEvent.click(screen.getByText("Discard"));
    expect([box("First").value, box("Second").value, stands().wrong]).toEqual(["7", "7", ""]);
    await userEvent.clear(box("Second"));
    await userEvent.type(box("Second"), "9");
    await userEvent.click(screen.getByText("Move"));
    expect([box("First").value, box("Second").value]).toEqual(["9", "7"]);
    expect(stands().values).toEqual([9, 7]);
  });
});
