"""A study: a question, its setup, its options, and the pair they make."""

from __future__ import annotations

from django.db import models
from matchedpair.plans import CONTROL, PLAN_KINDS, TRIAL
from matchedpair.scenes import AS_IS
from matchedpair.scenes import Setup as SetupDescription

from server.catalogue.models import SceneRevision


def warm_key(engine: str, build: str, scene: str, revision: str) -> str:
    """What a warm-up gets ready, as one text."""
    return f"{engine} {build} {scene} {revision}"


PLAN_KIND_CHOICES = [(kind.name, kind.title) for kind in PLAN_KINDS]


AS_CONTROL = "as the control"  # the title of an option that changes nothing


class Side(models.TextChoices):
    """The two sides of a pair."""

    CONTROL = CONTROL, "Control"
    TRIAL = TRIAL, "Trial"


class Setup(models.Model):
    """Everything about a render that is neither engine nor setting."""

    scene = models.ForeignKey(SceneRevision, on_delete=models.PROTECT)
    variant = models.CharField(max_length=80, default=AS_IS)
    view = models.CharField(max_length=80)
    frame = models.IntegerField(default=1)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    crop = models.JSONField(null=True, help_text="x, y, width, height in pixels, or null for the whole picture")
    quantities = models.JSONField(default=dict, help_text="Scene quantities that are not at their own value")
    output_format = models.CharField(
        max_length=60, default="exr-half", help_text="As the core names it; of renders from elsewhere in words"
    )
    view_transform = models.CharField(max_length=200, blank=True)

    def description(self) -> SetupDescription:
        """The setup as the core takes it."""
        crop = tuple(self.crop) if self.crop else None
        return SetupDescription(
            self.scene.title, self.scene.revision, self.view, self.width, self.height, self.variant, self.frame, crop,
            self.quantities, self.output_format, self.view_transform,
        )  # fmt: skip


class Study(models.Model):
    """A question in words, and how it is put to the test; `setup` is the baseline's."""

    question = models.CharField(max_length=300)
    asked = models.CharField(max_length=40, blank=True, help_text="The question it started from, by name")
    kind = models.CharField(max_length=40, default="on-off", help_text="The plan kind, by name")
    match_on = models.CharField(max_length=20, default="settings")
    draft = models.JSONField(default=dict, help_text="What the form held, to copy it or to plan on; empty for none")
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT)
    repeats = models.PositiveSmallIntegerField(default=2)
    until_sure = models.JSONField(null=True, help_text="on, width and cap, or null for a fixed number of seeds")
    threads = models.PositiveSmallIntegerField(default=1)
    time_limit_seconds = models.FloatField(default=1800)
    passes = models.JSONField(default=list)
    from_elsewhere = models.BooleanField(default=False, help_text="Its renders were made elsewhere; it queues none")
    of_drafts = models.BooleanField(default=False, help_text="Holds the pilots of plans not saved yet; in no list")
    created_at = models.DateTimeField(auto_now_add=True)
    archived_at = models.DateTimeField(null=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]
        verbose_name_plural = "studies"

    def __str__(self) -> str:
        return self.question


class Purpose(models.TextChoices):
    """What an option is rendered for."""

    COUNTED = "counted", "Counted"
    PILOT = "pilot", "Pilot: tiny, only to know what the plan will cost"
    SEARCH = "search", "A small step of a search for the least settings"
    REFERENCE = "reference", "Reference: with far more samples, to judge the others by"


BESIDES = (Purpose.PILOT, Purpose.REFERENCE)


class Option(models.Model):
    """An option: a setup, an engine's build, its settings, and what its light is multiplied with.

    `levels` are the study's factors in their order, each with subject, title, value and how that is shown; `changed`
    tells which are not at the baseline.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="options")
    side = models.CharField(max_length=10, choices=Side.choices)
    number = models.PositiveIntegerField(default=0, help_text="Place in the plan")
    title = models.CharField(max_length=300, blank=True)
    levels = models.JSONField(default=list)
    key = models.CharField(max_length=64, help_text="Hash of all that makes its picture; the same is planned once")
    purpose = models.CharField(max_length=10, choices=Purpose.choices, default=Purpose.COUNTED)
    in_plan = models.BooleanField(default=True, help_text="False once the plan was changed and lacks it")
    small = models.BooleanField(default=False, help_text="Rendered smaller first, before the plan in full")
    left_out = models.CharField(max_length=80, blank=True, help_text="Why it is not rendered; empty when it is")
    control = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="trials")
    comes_with = models.ForeignKey(
        "self",
        null=True,
        on_delete=models.SET_NULL,
        related_name="brings",
        help_text="Whose render writes it on the way",
    )
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="options")
    engine = models.CharField(max_length=40)
    engine_title = models.CharField(max_length=200)
    build = models.CharField(max_length=40, blank=True)
    device = models.CharField(max_length=80)
    quality_knob = models.CharField(max_length=40, blank=True)
    knob_goes_down = models.BooleanField(
        default=False, help_text="Of renders made elsewhere: less of the quality knob buys less noise"
    )
    settings = models.JSONField()
    brightness = models.JSONField(null=True, help_text="factor and evidence, or null for none")

    class Meta:
        ordering = ["number", "id"]
        constraints = [models.UniqueConstraint(fields=["study", "key"], name="one_option_a_key")]

    @property
    def found_as(self) -> str:
        """In words what a search changed, of a result that counts; empty where the plan's levels say what it is."""
        by_plan = self.side != Side.TRIAL or any(row["changed"] for row in self.levels)
        return self.title if self.in_plan and not by_plan and self.title != AS_CONTROL else ""

    def brought(self) -> tuple[dict[int, Option], dict[float, Option]]:
        """The options whose pictures its render brings: further frames by number, and by level those on its way."""
        rows = list(self.brings.filter(in_plan=True).select_related("setup"))
        frames = {each.setup.frame: each for each in rows if each.setup.frame != self.setup.frame}
        return frames, {
            float(each.settings[each.quality_knob]): each for each in rows if each.setup.frame == self.setup.frame
        }

    def warms(self) -> str:
        """What a warm-up for it gets ready: engine, build and scene."""
        scene = self.setup.scene
        return warm_key(self.engine, self.build, scene.name, scene.revision)


class Pair(models.Model):
    """A control and a trial, alike in all but what is under test."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="pairs")
    control = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+")
    trial = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="pairs_as_trial")
    under_test = models.JSONField(help_text="Names of settings, or of conditions such as engine or light")
    subject = models.CharField(max_length=300, help_text="What the trial is, in words")
    matched_on = models.CharField(max_length=10, blank=True, help_text="noise or time, once a search made it so")
    matched_zone = models.CharField(max_length=80, blank=True, help_text="In which zone it was made alike")

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["control", "trial"], name="one_pair_of_two_options")]
