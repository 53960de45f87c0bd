"""Secrets of credentials: written, permitted to further origins, dropped."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView
from rondine.server.connecting.key_files import read_key_file
from rondine.server.connecting.secrets import drop_second, permit_origin, set_secrets
from rondine.server.connecting.serializers import OriginGiven, Secrets, SecretsSet


class SecretsView(ProjectView):
    """A credential's secrets: they are written here and read nowhere."""

    permissions = {"PUT": "replace_secret"}

    @extend_schema(operation_id="setSecrets", request=Secrets, responses=SecretsSet)
    def put(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(Secrets, request)
        files = {
            key: read_key_file(one["base64"], one["passphrase"], f"/key_files/{key}")
            for key, one in data["key_files"].items()
        }
        credential = set_secrets(
            self.project,
            self.person,
            name,
            {**data["secrets"], **{key: one.key for key, one in files.items()}},
            self.role,
            is_second=data["is_second"],
            origins=data["origins"],
        )
        certificates = {key: key_file.certificates for key, key_file in files.items() if key_file.certificates}
        credential.certificates = certificates  # type: ignore[attr-defined]
        return Response(SecretsSet(credential).data)


class CredentialOriginsView(ProjectView):
    """Where a credential's secrets may be sent, besides where they were entered for."""

    permissions = {"POST": "administer"}

    @extend_schema(operation_id="permitOrigin", request=OriginGiven, responses={201: SecretsSet})
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(OriginGiven, request)
        return Response(SecretsSet(permit_origin(self.project, name, data["origin"], self.role)).data, status=201)


class SecondSecretsView(ProjectView):
    """The second set of secrets, valid in turn with the first."""

    permissions = {"DELETE": "replace_secret"}

    @extend_schema(operation_id="dropSecondSecrets", request=None, responses={200: SecretsSet})
    def delete(self, request: Request, project: str, name: str) -> Response:
        return Response(SecretsSet(drop_second(self.project, name, self.role)).data)
