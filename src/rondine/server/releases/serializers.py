"""The API's shapes of releases."""

from functools import partial
from typing import Any

from rest_framework import serializers

from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemItem, ShownSerializer, ValueDifferenceItem
from rondine.server.items.kinds import KINDS
from rondine.server.items.models import Revision
from rondine.server.releases.models import Release, Switch


class WaivedItem(serializers.Serializer[Any]):
    """A problem that was let pass."""

    kind = serializers.CharField()
    name = serializers.CharField()
    message = serializers.CharField()
    reason = serializers.CharField()


class ReleaseSerializer(ShownSerializer):
    by = serializers.CharField(source="by.name", allow_null=True, default=None)
    waived = WaivedItem(many=True)
    items = serializers.IntegerField(source="items.count")
    environments = serializers.SerializerMethodField(help_text="that go by it, by name")

    class Meta:
        model = Release
        fields = (
            "number",
            "notes",
            "waived",
            "by",
            "made_at",
            "withdrawn_at",
            "withdrawn_why",
            "items",
            "environments",
        )

    def get_environments(self, release: Release) -> list[str]:
        return sorted(environment.name for environment in release.environments.all())


class ReleasedItemShown(ShownSerializer):
    kind = serializers.SerializerMethodField()
    title = serializers.CharField(source="content.title")

    class Meta:
        model = Revision
        fields = ("kind", "name", "title", "version", "at")

    def get_kind(self, revision: Revision) -> str:
        return KINDS[revision.kind].word


class WaiverGiven(Strict):
    kind = serializers.CharField(max_length=40, help_text="its word, such as operation")
    name = serializers.CharField(max_length=63)
    reason = serializers.CharField(max_length=500, help_text="why it is released although it is not ready")


class NewRelease(Strict):
    notes = serializers.CharField(required=False, allow_blank=True, default="")
    waive = WaiverGiven(many=True, required=False, default=list)


class WhyGiven(Strict):
    why = serializers.CharField(required=False, allow_blank=True, default="", max_length=500)


class UnreadyItem(serializers.Serializer[Any]):
    kind = serializers.CharField()
    name = serializers.CharField()
    problems = ProblemItem(many=True)


class ReleaseDifferenceItem(serializers.Serializer[Any]):
    kind = serializers.CharField()
    name = serializers.CharField()
    what = serializers.ChoiceField(["added", "removed", "changed"])
    before = serializers.IntegerField(allow_null=True, help_text="its version")
    after = serializers.IntegerField(allow_null=True, help_text="its version")
    name_before = serializers.CharField()
    by = serializers.CharField(allow_null=True, help_text="who changed it last")
    why = serializers.CharField()
    differences = ValueDifferenceItem(many=True)


NUMBER = partial(serializers.IntegerField, allow_null=True, default=None, help_text="of a release; null: the draft")


class SwitchSerializer(ShownSerializer):
    environment = serializers.CharField(source="environment.name")
    before = NUMBER(source="before.number")
    after = NUMBER(source="after.number")
    by = serializers.CharField(source="by.name", allow_null=True, default=None)

    class Meta:
        model = Switch
        fields = ("environment", "before", "after", "is_back", "why", "by", "at")


class ReleaseUse(Strict):
    release = serializers.IntegerField(allow_null=True, min_value=1, help_text="its number; null for the draft")
    why = serializers.CharField(required=False, allow_blank=True, default="", max_length=500)


class LackingItem(serializers.Serializer[Any]):
    """Something that an environment lacks."""

    what = serializers.CharField()
    message = serializers.CharField()
    hint = serializers.CharField()
    who = serializers.CharField(help_text="the role that can give it")
