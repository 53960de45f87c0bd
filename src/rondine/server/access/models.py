"""People, projects, who may do what in which, tokens, and the hosts a project may reach."""

from typing import ClassVar

from django.contrib.auth.models import AbstractBaseUser, BaseUserManager
from django.db import models
from django.utils import timezone

from rondine.core.naming import NamingRule
from rondine.core.settings import load

ROLES = ("viewer", "operator", "builder", "administrator")


class PersonManager(BaseUserManager["Person"]):
    def create_person(self, name: str, password: str, title: str = "") -> "Person":
        person = self.model(name=name, title=title or name)
        person.set_password(password)
        person.save()
        return person


class Person(AbstractBaseUser):
    """is_administrator: of the installation, who makes people and projects. What they may do within a project is a
    membership's to say."""

    name = models.CharField(max_length=63, unique=True)
    title = models.CharField(max_length=200)
    is_active = models.BooleanField(default=True)
    is_administrator = models.BooleanField(default=False)
    made_at = models.DateTimeField(default=timezone.now)

    USERNAME_FIELD = "name"
    REQUIRED_FIELDS: ClassVar[list[str]] = []
    objects = PersonManager()

    def __str__(self) -> str:
        return self.name


class Project(models.Model):
    name = models.CharField(max_length=63, unique=True)
    title = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    naming = models.JSONField(default=dict)

    def naming_rule(self) -> NamingRule:
        """The rule by which names are proposed here."""
        return load(NamingRule, self.naming)

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="memberships")
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=20, choices=[(role, role) for role in ROLES])

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["person", "project"], name="one_role_a_person_and_project"),
            models.CheckConstraint(condition=models.Q(role__in=ROLES), name="role_is_known"),
        ]


class ApiToken(models.Model):
    """A token that acts as a person. digest: SHA-256 of it; the token itself is shown once and never stored.
    expires_at: null for never."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="tokens")
    title = models.CharField(max_length=200)
    digest = models.BinaryField(max_length=32, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)
    expires_at = models.DateTimeField(null=True)


class SignInAttempt(models.Model):
    """A sign-in that did not succeed, kept for a quarter of an hour to slow down guessing. address: the network that it
    came from."""

    name = models.CharField(max_length=63)
    address = models.CharField(max_length=45, default="")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [
            models.Index(fields=["name", "at"], name="attempts_by_name"),
            models.Index(fields=["address", "at"], name="attempts_by_address"),
        ]


class KnownAddress(models.Model):
    """A network from which a person has signed in: somebody else's guesses from elsewhere do not close it to them."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="known_addresses")
    address = models.CharField(max_length=45)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "address"], name="one_known_address_a_person")]


class PermittedHost(models.Model):
    """port: null for any.  is_private: loopback, private and link-local addresses may be dialled too."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="permitted_hosts")
    host = models.CharField(max_length=253)
    port = models.PositiveIntegerField(null=True)
    is_private = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["project", "host", "port"], name="one_permission_a_host_and_port", nulls_distinct=False
            )
        ]
