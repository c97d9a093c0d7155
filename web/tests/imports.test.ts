import { describe, expect, it } from "vitest";
import { grouped, proposedPlace, type Render } from "../src/screens/imports/groups";
import { likelyPass, suggested } from "../src/screens/imports/suggested";

let count = 0;
function render(fields: Record<string, unknown>, settings: Record<string, unknown>, width = 480): Render {
  count += 1;
  return {
    id: count,
    name: `${count}.exr`,
    problem: "",
    missing: [],
    width,
    height: 270,
    fields_known: { version: "1", scene: "pier", view: "main", ...fields },
    settings,
  } as unknown as Render;
}

describe("options among renders made elsewhere", () => {
  it("are called by as much as tells them apart: settings, then frame and size", () => {
    const renders = [
      render({ engine: "Moth", frame: 1, seed: 1 }, { AA: 16 }),
      render({ engine: "Moth", frame: 1, seed: 2 }, { AA: 16 }),
      render({ engine: "Moth", frame: 2, seed: 1 }, { AA: 16 }),
      render({ engine: "Moth", frame: 2, seed: 2 }, { AA: 64 }, 100),
    ];
    expect(grouped(renders).map((group) => group.title)).toEqual([
      "Moth 1, AA 16, frame 1",
      "Moth 1, AA 16, frame 2",
      "Moth 1, AA 64",
    ]);
    expect(grouped(renders.slice(0, 2)).map((group) => group.title)).toEqual(["Moth 1"]);
    const sizes = [render({ engine: "Moth" }, {}), render({ engine: "Moth" }, {}, 100)];
    expect(grouped(sizes).map((group) => group.title)).toEqual(["Moth 1, 480 × 270", "Moth 1, 100 × 270"]);
  });

  it("are told apart by a switch that only some of an engine's renders name", () => {
    const titles = (...renders: Render[]) => grouped(renders).map((group) => group.title);
    const plain = render({ engine: "Moth" }, { AA: 16 });
    const smooth = render({ engine: "Moth" }, { AA: 16, denoiser: true });
    expect(titles(plain, smooth)).toEqual(["Moth 1", "Moth 1, denoiser on"]);
    expect(titles(smooth, render({ engine: "Kestrel" }, { AA: 16 })), "another engine has none").toEqual([
      "Moth 1",
      "Kestrel 1",
    ]);
  });

  it("suggest what they were made to find out", () => {
    const of = (engines: string[], samples: number[]) =>
      grouped(engines.flatMap((engine) => samples.map((AA) => render({ engine }, { AA }))));
    const asked = (groups: ReturnType<typeof grouped>, knobs = ["AA"]) => suggested(groups, knobs).asked;
    expect(asked(of(["Moth", "Kestrel"], [16, 64]))).toBe("engine");
    expect(asked(of(["Moth"], [16, 64, 256]))).toBe("samples");
    expect(asked(of(["Moth"], [16, 64]))).toBe("samples");
    const versions = ["1", "2"].map((version) => render({ engine: "Moth", version }, { AA: 16 }));
    expect(asked(grouped(versions))).toBe("version");
    const lights = ["noon", "lantern"].map((variant) => render({ engine: "Moth", variant }, { AA: 16 }));
    expect(asked(grouped(lights))).toBe("light");
    const switched = [{ AA: 16 }, { AA: 16, picker: "on" }].map((each) => render({ engine: "Moth" }, each));
    expect(asked(grouped(switched))).toBe("feature");
    const sizes = [render({ engine: "Moth" }, { AA: 64 }), render({ engine: "Moth" }, { AA: 16 }, 960)];
    expect(asked(grouped(sizes))).toBe("pixels");
    const unknown = grouped([render({ engine: "Moth" }, {}), render({ engine: undefined }, {})]);
    expect(asked(unknown), "an engine that is not known is no other engine").toBe("own");
  });

  it("suggest the words where the question is of a setting of theirs", () => {
    const reaches = [0.1, 0.2, 0.4].map((gather_radius) => render({ engine: "Moth" }, { gather_radius }));
    expect(suggested(grouped(reaches), ["AA"])).toEqual({
      asked: "bounces",
      words: "How much gather radius does this scene need?",
    });
    const bounces = [2, 4, 8].map((glass_bounces) => render({ engine: "Moth" }, { glass_bounces }));
    expect(suggested(grouped(bounces), ["AA"]).words).toBe("How many glass bounces does this scene need?");
    const table = [0, 4].flatMap((clamp) =>
      ["even", "near"].map((picker) => render({ engine: "Moth" }, { clamp, picker })),
    );
    const both = { asked: "own", words: "Do clamp and picker help each other?" };
    expect(suggested(grouped(table), ["AA"])).toEqual(both);
    expect(suggested(grouped(table.slice(1)), ["AA"]), "one of the four is missing").toEqual({
      asked: "own",
      words: "",
    });
    const modes = ["a", "b", "c"].map((mode) => render({ engine: "Moth" }, { mode }));
    expect(suggested(grouped(modes), ["AA"]).asked, "words are no levels").toBe("own");
  });
});

describe("the layer that is a pass", () => {
  it("is proposed to be the occlusion, else the first", () => {
    expect(likelyPass(["Z", "lamp", "AO"])).toBe("AO");
    expect(likelyPass(["aovs.light", "aovs.ambient_occlusion"])).toBe("aovs.ambient_occlusion");
    expect(likelyPass(["chaos", "sky"]), "a word that only holds the letters").toBe("chaos");
    expect(likelyPass([])).toBe("");
  });
});

describe("the place of renders that say none", () => {
  const bare = (missing: string[]) =>
    ({ ...render({ engine: "Moth", scene: undefined, view: undefined }, {}), missing }) as Render;

  it("is that of the others where they agree, else the one view that most scenes have", () => {
    const lost = bare(["scene", "view"]);
    expect(proposedPlace([lost, render({}, {})], [lost])).toEqual({ scene: "pier", view: "main" });
    expect(proposedPlace([lost, render({ view: "top" }, {})], [lost])).toEqual({
      scene: "pier",
      view: "top",
    });
    expect(proposedPlace([lost, render({}, {}), render({ view: "top" }, {})], [lost])).toEqual({
      scene: "pier",
    });
    expect(proposedPlace([lost], [lost])).toEqual({ view: "main" });
  });

  it("is the folder's name only where none says its scene", () => {
    const lost = bare(["scene", "view"]);
    expect(proposedPlace([lost], [lost], "pier-tests")).toEqual({ scene: "pier-tests", view: "main" });
    expect(proposedPlace([lost, render({}, {})], [lost], "pier-tests").scene).toBe("pier");
    expect(proposedPlace([bare(["view"])], [bare(["view"])], "pier-tests")).toEqual({ view: "main" });
  });

  it("is proposed only of what all of them lack", () => {
    expect(proposedPlace([bare(["scene"])], [bare(["scene"])])).toEqual({});
    expect(proposedPlace([], [])).toEqual({});
  });
});
