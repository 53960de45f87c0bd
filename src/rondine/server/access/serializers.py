"""The shapes of people, projects, members, tokens and permitted hosts in the API."""

from typing import Any

from rest_framework import serializers

from rondine.server.access.authority import PERMISSIONS
from rondine.server.access.models import ROLES, ApiToken, Membership, PermittedHost, Person, Project
from rondine.server.api.requests import Strict


class PasswordField(serializers.CharField):
    def __init__(self, **options: Any) -> None:
        super().__init__(max_length=200, trim_whitespace=False, **options)


class SignInSerializer(Strict):
    name = serializers.CharField(max_length=63)
    password = PasswordField()


class LifeSerializer(Strict):
    """title: what the token is for.  days: how long it lasts; null for ever; left out: 90, or as long as the token that
    asks for it."""

    title = serializers.CharField(max_length=200, required=False, default="command line")
    days = serializers.IntegerField(required=False, allow_null=True, min_value=1, max_value=3660)


class NewTokenSerializer(SignInSerializer, LifeSerializer):
    pass


class TokenSerializer(serializers.ModelSerializer[ApiToken]):
    class Meta:
        model = ApiToken
        fields = ["id", "title", "made_at", "used_at", "expires_at"]
        read_only_fields = fields


class MadeTokenSerializer(TokenSerializer):
    """token: shown this once."""

    token = serializers.CharField(read_only=True)

    class Meta(TokenSerializer.Meta):
        fields = ["token", *TokenSerializer.Meta.fields]
        read_only_fields = fields


class NewPasswordSerializer(Strict):
    """password: the one up to now."""

    password = PasswordField()
    new_password = PasswordField()


class RoleSerializer(serializers.ModelSerializer[Membership]):
    """What a person is in one project."""

    project = serializers.CharField(source="project.name", read_only=True)

    class Meta:
        model = Membership
        fields = ["project", "role"]
        read_only_fields = fields


class NewPersonSerializer(Strict):
    """password: made up, and given back as `made_password`, if it is left out."""

    name = serializers.CharField(max_length=63)
    title = serializers.CharField(max_length=200, required=False)
    password = PasswordField(required=False)
    is_administrator = serializers.BooleanField(required=False)


class PersonSerializer(serializers.ModelSerializer[Person]):
    """A person of the installation."""

    projects = RoleSerializer(source="memberships", many=True, read_only=True)
    tokens = serializers.SerializerMethodField(help_text="how many tokens act as them")

    class Meta:
        model = Person
        fields = [
            "name",
            "title",
            "is_active",
            "is_administrator",
            "last_login",
            "made_at",
            "projects",
            "tokens",
        ]
        read_only_fields = fields

    def get_tokens(self, person: Person) -> int:
        return len(person.tokens.all())


class MadePersonSerializer(PersonSerializer):
    """made_password: shown this once."""

    made_password = serializers.CharField(read_only=True, allow_null=True)

    class Meta(PersonSerializer.Meta):
        fields = [*PersonSerializer.Meta.fields, "made_password"]
        read_only_fields = fields


class PersonChangeSerializer(Strict):
    title = serializers.CharField(max_length=200, required=False)
    is_active = serializers.BooleanField(required=False)
    is_administrator = serializers.BooleanField(required=False)


class ResetPasswordSerializer(Strict):
    """password: the new one; made up if it is left out."""

    password = PasswordField(required=False)


class MadePasswordSerializer(serializers.Serializer[Any]):
    """made_password: shown this once; null if it was given."""

    made_password = serializers.CharField(allow_null=True)


class NewProjectSerializer(Strict):
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(max_length=200, required=False)


class ProjectSerializer(serializers.ModelSerializer[Project]):
    members = serializers.SerializerMethodField(help_text="how many people belong to it")

    class Meta:
        model = Project
        fields = ["name", "title", "made_at", "members"]
        read_only_fields = fields

    def get_members(self, project: Project) -> int:
        return len(project.memberships.all())


class ProjectChangeSerializer(Strict):
    title = serializers.CharField(max_length=200)


class ProjectMemberSerializer(serializers.ModelSerializer[Membership]):
    name = serializers.CharField(source="person.name", read_only=True)
    title = serializers.CharField(source="person.title", read_only=True)
    is_active = serializers.BooleanField(source="person.is_active", read_only=True)

    class Meta:
        model = Membership
        fields = ["name", "title", "is_active", "role"]
        read_only_fields = ["role"]


class NewRoleSerializer(Strict):
    role = serializers.ChoiceField(choices=ROLES)


class MembershipSerializer(serializers.ModelSerializer[Membership]):
    """A project that the person belongs to, and what they may do there."""

    name = serializers.CharField(source="project.name")
    title = serializers.CharField(source="project.title")
    permissions = serializers.SerializerMethodField()
    environments = serializers.SerializerMethodField()
    administrators = serializers.SerializerMethodField(help_text="whom to ask for what one may not do oneself")

    class Meta:
        model = Membership
        fields = ["name", "title", "role", "permissions", "environments", "administrators"]

    def get_permissions(self, membership: Membership) -> list[str]:
        return sorted(PERMISSIONS[membership.role])

    def get_environments(self, membership: Membership) -> list[str]:
        return sorted(environment.name for environment in membership.project.environments.all())

    def get_administrators(self, membership: Membership) -> list[str]:
        members = membership.project.memberships.all()
        return sorted(
            member.person.title for member in members if member.role == "administrator" and member.person.is_active
        )


class SessionSerializer(serializers.Serializer[Any]):
    """Who is signed in. is_administrator: of the installation, who makes people and projects."""

    name = serializers.CharField()
    title = serializers.CharField()
    is_administrator = serializers.BooleanField()
    projects = MembershipSerializer(many=True)
    csrf_token = serializers.CharField()


class HostSerializer(serializers.ModelSerializer[PermittedHost]):
    class Meta:
        model = PermittedHost
        fields = ["id", "host", "port", "is_private"]


class NewHostSerializer(Strict):
    host = serializers.CharField(max_length=253)
    port = serializers.IntegerField(required=False, allow_null=True, min_value=1, max_value=65535)
    is_private = serializers.BooleanField(required=False, default=False)
