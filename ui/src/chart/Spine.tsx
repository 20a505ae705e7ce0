import type { ReactNode } from "react";
import { Link } from "react-router";
import { Usual } from "../circle/Usual";
import type { Schemas } from "../exchange/client";
import { clock, day, shortDay } from "../frame/time";
import { unit } from "../kit/unit";
import { kinds } from "../line/kinds";
import { useMe } from "../session/me";

function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-5 max-wide:mt-0">
      <h2 className="label mb-1 font-sans">{title}</h2>
      {children}
    </section>
  );
}

/** Spine is who this is: always the same place, always in sight. */
export function Spine({ chart }: { chart: Schemas["ChartView"] }) {
  const p = chart.patient;
  const allergies = chart.allergies ?? [];
  const none = allergies.length > 0 && allergies.every((a) => a.substance === "");
  const counts = Map.groupBy(chart.open ?? [], (l) => l.kind);
  const { today } = useMe();
  // The last of each is not of one day: what was not measured today stands under the day it was.
  const measured = [...Map.groupBy(chart.vitals ?? [], (v) => v.takenAt.slice(0, 10))].sort(([a], [b]) => b.localeCompare(a));
  return (
    <aside
      aria-label="Patient"
      className="w-[232px] shrink-0 overflow-auto border-r border-rule px-4 py-4 text-aside max-wide:flex max-wide:w-full max-wide:gap-8 max-wide:overflow-visible max-wide:border-r-0 max-wide:border-b max-wide:py-2 max-phone:block"
    >
      {/* On a narrow screen the rest scrolls; who this is and the allergies stay in sight. */}
      <div className="max-wide:flex max-wide:shrink-0 max-wide:gap-8 max-wide:[&>*]:max-w-[300px] max-phone:block max-phone:[&>*]:max-w-none">
        <div>
          <h1 className="text-page leading-[1.2]">
            {p.given} {p.family}
          </h1>
          <p className="mt-1">
            {p.age}, {p.sex} <span className="text-faded">b.</span> {day(p.birthDate)}
          </p>
          <p className="text-faded">
            Record <span className="font-mono text-small">{p.record}</span> · {p.codeStatus || "code status not recorded"}
          </p>
          {chart.died && <p className="font-semibold">Died {day(chart.died)}</p>}
          {chart.inUse && <p>goes by “{chart.inUse}”</p>}
          <p className="text-faded">
            <Link className="hover:underline" to={`/patients/${p.id}/registration`}>
              Registration
            </Link>
          </p>
          <Usual chart={chart} />
          {chart.speaking.map((s) => (
            <p key={s}>{s}</p>
          ))}
          {chart.opened && (
            <p className="mt-3 bg-kelp-wash px-2 py-1.5 text-small" role="note">
              <span className="block font-semibold">
                Opened with a reason, until {shortDay(chart.opened.until, today)}, {clock(chart.opened.until)}
              </span>
              “{chart.opened.reason}” {chart.opened.reviewer} looks at it afterwards.
            </p>
          )}
        </div>
        <section
          className={`mt-4 border-l-[3px] pl-3 max-wide:mt-0 max-phone:mt-2 ${allergies.length === 0 ? "border-edge" : none ? "border-settled" : "border-alarm"}`}
        >
          <h2
            className={`mb-1 font-sans text-small font-semibold ${allergies.length === 0 || none ? "text-faded" : "text-alarm"}`}
          >
            Allergies
          </h2>
          {allergies.length === 0 && <p>Not asked yet: unknown is not none.</p>}
          {allergies.map((a) =>
            a.substance ? (
              <p key={a.substance}>
                <span className="font-semibold">{a.substance}</span> – {a.reaction}, {a.severity}
              </p>
            ) : (
              <p key="none">
                No known drug allergies
                <span className="block text-faded">
                  stated {shortDay(a.statedAt, today)}, {a.statedBy}
                </span>
              </p>
            ),
          )}
        </section>
      </div>
      <section
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and has nothing else to take the focus
        tabIndex={0}
        aria-label="Problems, medicines, vital signs and open lines"
        className="max-wide:flex max-wide:max-h-40 max-wide:min-w-0 max-wide:gap-8 max-wide:overflow-auto max-wide:[&>*]:max-w-[300px] max-wide:[&>*]:shrink-0 max-phone:mt-2 max-phone:max-h-24"
      >
        <Group title="Problems">
          {chart.problems?.length ? (
            chart.problems.map((x) => (
              <p key={x.code}>
                {x.title}
                {(x.onset || (x.state && x.state !== "active")) && (
                  <span className="text-faded">
                    {x.onset && ` since ${x.onset}`}
                    {x.state && x.state !== "active" && `, ${x.state}`}
                  </span>
                )}
              </p>
            ))
          ) : (
            <p className="text-faded">None recorded</p>
          )}
        </Group>
        <Group title="Medicines">
          {chart.medicines?.length ? (
            chart.medicines.map((m) => (
              <p key={m.name + m.dose}>
                {m.name} <span className="text-faded">{m.dose}</span>
                {m.told && <span className="text-carried"> – {m.told === "not known" ? "taken? not known" : m.told}</span>}
                {!m.checked && <span className="text-faded"> – ? not checked</span>}
                {m.warnings.map((w) => (
                  <span key={w.says + w.why} className="block text-small text-alarm">
                    ■ {w.says}: {w.why}
                  </span>
                ))}
              </p>
            ))
          ) : (
            <p className="text-faded">None recorded</p>
          )}
        </Group>
        {measured.map(([on, vitals]) => (
          <Group key={on} title={`Vital signs ${shortDay(on, today)}`}>
            <table className="w-full">
              <tbody>
                {vitals.map((v) => (
                  <tr key={v.name}>
                    <th scope="row" className="text-left font-normal">
                      {v.name}
                    </th>
                    <td className="text-right whitespace-nowrap">
                      {v.value} <span className="text-faded">{unit(v.unit)}</span>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Group>
        ))}
        <Group title="Open lines">
          {counts.size === 0 && <p className="text-faded">None</p>}
          {[...counts].map(([kind, lines]) => (
            <p key={kind}>
              {lines.length} {kinds[kind].counted[lines.length === 1 ? 0 : 1]}
            </p>
          ))}
        </Group>
      </section>
    </aside>
  );
}
