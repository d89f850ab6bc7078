import { type ReactNode, useId } from "react";
import {
  Button,
  ComboBox,
  Input,
  Label,
  ListBox,
  ListBoxItem,
  Popover,
  Select as AriaSelect,
  SelectValue,
} from "react-aria-components";
import styled, { css } from "styled-components";

/** A field below its label. */
export const fieldLooks = css`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
  min-width: 0;
  > label,
  > .react-aria-Label {
    font-size: 12.5px;
    color: var(--quiet);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  input {
    min-height: 34px;
    padding: 5px 9px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--panel);
    min-width: 0;
    width: 100%;
    font-weight: 600;
  }
  input:disabled {
    color: var(--quiet);
    background: var(--ground);
  }
  input[aria-invalid="true"] {
    border-color: var(--fault);
  }
  .row {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  .wrong {
    color: var(--fault);
    font-size: 12.5px;
    line-height: 1.2;
    max-width: 22ch;
  }
`;

export const Labelled = styled.div`
  ${fieldLooks}
`;

const Typed = styled(ComboBox)`
  ${fieldLooks}
  .row {
    position: relative;
  }
  .row > input:not(:only-child) {
    padding-right: 28px;
  }
  .row > .react-aria-Button {
    position: absolute;
    right: 3px;
    width: 26px;
    height: 28px;
    border: 0;
    border-radius: 6px;
    background: none;
    color: var(--quiet);
    cursor: pointer;
  }
`;

const Chosen = styled(AriaSelect)<{ $small: boolean }>`
  ${fieldLooks}
  > button {
    display: flex;
    align-items: center;
    gap: 8px;
    min-height: ${({ $small }) => ($small ? 28 : 34)}px;
    padding: 0 ${({ $small }) => ($small ? 7 : 9)}px;
    border: 1px solid var(--hairline);
    border-radius: ${({ $small }) => ($small ? "6px" : "var(--radius)")};
    background: var(--panel);
    font-weight: 600;
    font-size: ${({ $small }) => ($small ? "12.5px" : "inherit")};
    text-align: left;
    width: 100%;
    cursor: pointer;
  }
  > button > span {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  > button::after {
    content: "▾";
    color: var(--quiet);
  }
  > button[data-hovered] {
    border-color: var(--action);
  }
  > button[data-disabled] {
    color: var(--quiet);
    background: var(--ground);
    cursor: default;
  }
`;

const Below = styled(Popover)`
  min-width: var(--trigger-width);
  max-height: 60vh;
  display: flex;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  box-shadow: 0 8px 30px rgba(0, 0, 0, 0.2);
`;

const Options = styled(ListBox)`
  padding: 5px;
  overflow: auto;
  outline: none;
  flex: 1;
` as typeof ListBox;

const Option = styled(ListBoxItem)`
  padding: 5px 10px;
  min-height: 28px;
  border-radius: 6px;
  cursor: pointer;
  outline: none;
  &[data-focused] {
    background: var(--chosen);
  }
  &[data-selected] {
    font-weight: 700;
  }
  &[data-selected]::before {
    content: "✓ ";
  }
`;

export interface SelectProps<T extends string> {
  label: string;
  value: T;
  options: readonly (T | { value: T; text: string })[];
  onChange: (value: T) => void;
  width?: number | string | undefined;
  isDisabled?: boolean;
  /** Low, without its label in sight: among other small ones. */
  small?: boolean;
  defaultOpen?: boolean;
}

/** A labelled choice. */
export function Select<T extends string>(props: SelectProps<T>) {
  const {
    label,
    value,
    options,
    onChange,
    width,
    isDisabled = false,
    small = false,
    defaultOpen = false,
  } = props;
  const all = options.map((one) => (typeof one === "string" ? { value: one, text: one as string } : one));
  return (
    <Chosen
      $small={small}
      style={{ width }}
      value={value}
      onChange={(key) => onChange(key as T)}
      isDisabled={isDisabled}
      defaultOpen={defaultOpen}
      aria-label={small ? label : undefined}
    >
      {!small && <Label>{label}</Label>}
      <Button>
        <SelectValue>{({ selectedText }) => selectedText ?? value}</SelectValue>
      </Button>
      <Below>
        <Options items={all}>
          {(one) => (
            <Option id={one.value} textValue={one.text}>
              {one.text}
            </Option>
          )}
        </Options>
      </Below>
    </Chosen>
  );
}

export interface EntryProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  width?: number | string;
  /** Values to choose from; others may be typed. */
  among?: readonly string[] | undefined;
  mono?: boolean;
  placeholder?: string | undefined;
  invalid?: boolean;
  /** What is wrong, said below it. */
  wrong?: string;
  after?: ReactNode;
  inputMode?: "decimal" | undefined;
  onBlur?: () => void;
}

/** What is wrong with an entry, said below it. */
function Wrong({ id, words }: { id: string; words: string | undefined }) {
  if (!words) return null;
  return (
    <span className="wrong" id={id} role="alert">
      {words}
    </span>
  );
}

/** A labelled entry on one line. */
export function Entry(props: EntryProps) {
  return props.among ? <Combo {...props} among={props.among} /> : <Plain {...props} />;
}

function Plain({
  label,
  value,
  onChange,
  width,
  mono,
  placeholder,
  invalid,
  wrong,
  after,
  inputMode,
  onBlur,
}: EntryProps) {
  const id = useId();
  return (
    <Labelled style={{ width }}>
      <label htmlFor={id}>{label}</label>
      <span className="row">
        <input
          id={id}
          value={value}
          placeholder={placeholder}
          spellCheck={false}
          autoComplete="off"
          aria-invalid={invalid}
          aria-describedby={wrong ? `${id}-wrong` : undefined}
          inputMode={inputMode}
          onBlur={onBlur}
          style={mono ? { fontFamily: '"Atkinson Hyperlegible Mono Variable", monospace' } : undefined}
          onChange={(event) => onChange(event.target.value)}
        />
        {after}
      </span>
      <Wrong id={`${id}-wrong`} words={wrong} />
    </Labelled>
  );
}

/** An entry with values to choose from. All of them are offered: what stands in it already does not hide the others. */
function Combo({ among, ...props }: EntryProps & { among: readonly string[] }) {
  const { label, value, onChange, width, placeholder, invalid, wrong, after, inputMode, onBlur } = props;
  const id = useId();
  return (
    <Typed
      style={{ width }}
      inputValue={value}
      onInputChange={(text) => text !== value && onChange(text)}
      defaultItems={among.map((one) => ({ id: one }))}
      defaultFilter={() => true}
      isInvalid={invalid ?? false}
      menuTrigger="manual"
      allowsCustomValue
      onBlur={() => onBlur?.()}
    >
      <Label>{label}</Label>
      <span className="row">
        <Input
          placeholder={placeholder ?? ""}
          inputMode={inputMode}
          spellCheck={false}
          aria-describedby={wrong ? `${id}-wrong` : undefined}
        />
        {among.length > 0 && <Button aria-label={`${label}: values to choose from`}>▾</Button>}
        {after}
      </span>
      <Wrong id={`${id}-wrong`} words={wrong} />
      <Below>
        <Options items={among.map((one) => ({ id: one }))}>
          {(one: { id: string }) => (
            <Option id={one.id} textValue={one.id}>
              {one.id}
            </Option>
          )}
        </Options>
      </Below>
    </Typed>
  );
}

/** A row of fields that wraps. */
export const Fields = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: end;
`;
