import { type CalendarDate, parseDate } from "@internationalized/date";
import { DateField, DateInput, DateSegment, I18nProvider, Label } from "react-aria-components";
import styled from "styled-components";
import { fieldLooks } from "./Select";

const Frame = styled(DateField<CalendarDate>)`
  ${fieldLooks}
  .react-aria-DateInput {
    display: flex;
    align-items: center;
    min-height: 34px;
    padding: 0 9px;
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
    background: var(--panel);
    font-weight: 600;
    white-space: nowrap;
  }
  .react-aria-DateSegment {
    padding: 3px 1px;
    border-radius: 3px;
    outline: none;
  }
  .react-aria-DateSegment[data-placeholder] {
    color: var(--quiet);
    font-weight: 400;
  }
  .react-aria-DateSegment:focus {
    background: var(--action);
    color: var(--actionInk);
  }
`;

export interface DateEntryProps {
  label: string;
  /** As ISO 8601 has it; null for none. */
  value: string | null;
  onValue: (value: string | null) => void;
  width: number;
}

/** What can be read as a date; null for nothing, and for what is none. */
function dateOf(text: string | null): CalendarDate | null {
  try {
    return text ? parseDate(text) : null;
  } catch {
    return null;
  }
}

/** A date, typed in the order of ISO 8601: year, month, day. */
export function DateEntry({ label, value, onValue, width }: DateEntryProps) {
  return (
    // Of all locales this one writes dates as the standard does.
    <I18nProvider locale="en-CA">
      <Frame
        style={{ width }}
        value={dateOf(value)}
        onChange={(date) => onValue(date?.toString() ?? null)}
        shouldForceLeadingZeros
      >
        <Label>{label}</Label>
        <DateInput>{(segment) => <DateSegment segment={segment} />}</DateInput>
      </Frame>
    </I18nProvider>
  );
}
