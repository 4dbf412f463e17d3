export const units = {
  decibelsFullScale: "decibels full scale",
  decibelsTruePeak: "decibels true peak",
  toOne: "to one",
  hourCount: "{count, plural, one {# hour} other {# hours}}",
  minuteCount: "{count, plural, one {# minute} other {# minutes}}",
  secondCount: "{count, plural, one {# second} other {# seconds}}",
  nowNowRead: "Now {now}: {read}.",
  nowNow: "Now {now}.",
  minus: "minus {number}",
  silent: "silent",
  decibels: "decibels",
  milliseconds: "milliseconds",
  hertz: "hertz",
  percent: "percent",
  range:
    "From {low} to {high} {unit}{usual, select, none {} other {; default {usual}}}. Arrow keys change it by {step, number}.",
} as const;
