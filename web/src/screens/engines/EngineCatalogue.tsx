import { useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import type { Schema } from "../../api/client";
import { buildsQuery } from "../../api/queries";
import { day, settingValue } from "../../parts/format";
import { useRemembered } from "../../parts/remembered";
import { EngineTest } from "./EngineTest";

type Engine = Schema["Engine"];
type Setting = Schema["Setting"];

/** One engine at a time: its builds, terms, presets, and every setting with what goes wrong at either end. */
export function EngineCatalogue({ engines }: { engines: Engine[] }) {
  const [kept, setKept] = useRemembered("engines.chosen", "");
  const engine = engines.find((each) => each.name === kept) ?? engines[0];
  if (!engine)
    return <p className="mt-4">See docs/engine-definitions.md for how to add one in under 30 lines.</p>;
  return (
    <div className="mt-4 grid grid-cols-[10rem_minmax(0,1fr)] gap-7">
      <ul>
        {engines.map((each) => (
          <li key={each.name}>
            <button
              type="button"
              className={`w-full border-line border-b py-1.5 text-left ${each === engine ? "font-semibold" : ""}`}
              aria-current={each === engine}
              onClick={() => setKept(each.name)}
            >
              {each.title}
            </button>
          </li>
        ))}
      </ul>
      <section aria-label={engine.title}>
        <p className="text-lg">{engine.about}</p>
        {engine.missing ? <p className="mt-1 text-fault">{engine.missing}</p> : null}
        <Terms engine={engine} />
        <Builds engine={engine} />
        <EngineTest key={engine.name} engine={engine} />
        <SettingsCatalogue engine={engine} />
        <Passes engine={engine} />
        <AtWork engine={engine} />
      </section>
    </div>
  );
}

function Terms({ engine }: { engine: Engine }) {
  const rows = {
    Licence: engine.licence,
    Price: engine.cost,
    Limits: engine.limits,
    "Runs on": engine.runs_on,
  };
  const cannot = engine.cannot.filter((part) => part !== "brightness");
  return (
    <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-4 text-sm [&>dt]:text-soft">
      {Object.entries(rows).map(([title, text]) => (
        <Fragment key={title}>
          <dt>{title}</dt>
          <dd>{text || "not stated"}</dd>
        </Fragment>
      ))}
      {cannot.length ? (
        <>
          <dt>Cannot be asked for</dt>
          <dd>{cannot.join(", ")}: its definition gives no way</dd>
        </>
      ) : null}
    </dl>
  );
}

function Builds({ engine }: { engine: Engine }) {
  return (
    <table className="table-plain mt-4 w-full text-sm" aria-label="Builds">
      <thead>
        <tr>
          <th scope="col">Build</th>
          <th scope="col">Version it gives</th>
          <th scope="col">Device</th>
          <th scope="col">On this machine</th>
        </tr>
      </thead>
      <tbody>
        {engine.builds.map((build) => (
          <tr key={build.name}>
            <th scope="row" className="text-left font-normal">
              {build.title}
            </th>
            <td>{build.version || "not known"}</td>
            <td>{build.device}</td>
            <td className={build.missing ? "text-fault" : ""}>{build.missing || "there"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Which versions have rendered on which machines, from the runs. */
function AtWork({ engine }: { engine: Engine }) {
  const { data } = useQuery(buildsQuery);
  const rows = (data ?? []).filter((row) => row.engine === engine.name);
  return (
    <>
      <h2 className="mt-6 mb-1 font-semibold">Seen at work</h2>
      {rows.length === 0 ? (
        <p className="text-soft text-sm">It has rendered nothing here yet.</p>
      ) : (
        <table className="table-plain w-full text-sm" aria-label="Seen at work">
          <thead>
            <tr>
              <th scope="col">Version</th>
              <th scope="col">Device</th>
              <th scope="col">Machine</th>
              <th scope="col" className="number">
                Renders
              </th>
              <th scope="col">Last</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={`${row.build} ${row.version} ${row.machine}`}>
                <th scope="row" className="text-left font-normal">
                  {row.version || "not known"}
                </th>
                <td>{row.device}</td>
                <td>{row.machine}</td>
                <td className="number">{row.runs}</td>
                <td>{day(row.last)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function SettingsCatalogue({ engine }: { engine: Engine }) {
  return (
    <>
      <h2 className="mt-6 mb-1 font-semibold">Settings</h2>
      <table className="table-plain w-full text-sm" aria-label="Settings">
        <thead>
          <tr>
            <th scope="col">Setting</th>
            <th scope="col" className="number">
              Default
            </th>
            {engine.presets.map((preset) => (
              <th key={preset.name} scope="col" className="number" title={preset.about}>
                {preset.title}
              </th>
            ))}
            <th scope="col">Affects</th>
            <th scope="col" className="w-[34%]">
              What goes wrong
            </th>
          </tr>
        </thead>
        <tbody>
          {engine.settings.map((setting) => (
            <SettingRow key={setting.name} setting={setting} presets={engine.presets} />
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-soft text-sm">
        A preset's empty cells are at the default. In a new study each setting has its way back to the
        default, and a preset can be taken over whole.
      </p>
    </>
  );
}

function SettingRow({ setting, presets }: { setting: Setting; presets: Engine["presets"] }) {
  return (
    <tr data-setting={setting.name}>
      <th scope="row" className="text-left font-normal">
        {setting.title}
        {setting.quality_knob ? <span className="text-soft">, quality knob</span> : null}
        <span className="block text-soft">{setting.about}</span>
        <span className="block text-soft text-xs">
          {setting.range_in_words} {setting.unit}
        </span>
      </th>
      <td className="number">{settingValue(setting.default)}</td>
      {presets.map((preset) => (
        <td key={preset.name} className="number">
          {setting.name in preset.values ? settingValue(preset.values[setting.name]) : ""}
        </td>
      ))}
      <td>
        {setting.only_cost
          ? `only ${setting.affects.join(" and ")}`
          : setting.affects.join(", ") || "not stated"}
      </td>
      <td>
        {setting.too_low ? <span className="block">Low: {setting.too_low}</span> : null}
        {setting.too_high ? <span className="block">High: {setting.too_high}</span> : null}
      </td>
    </tr>
  );
}

function Passes({ engine }: { engine: Engine }) {
  if (engine.passes.length === 0) return null;
  return (
    <>
      <h2 className="mt-6 mb-1 font-semibold">Passes</h2>
      <ul className="text-sm">
        {engine.passes.map((row) => (
          <li key={row.name} className="border-line border-b py-1">
            {row.title}
            {row.unit ? <span className="text-soft"> ({row.unit})</span> : null}
            <span className="text-soft">: {row.about}</span>
          </li>
        ))}
      </ul>
    </>
  );
}
