"""Accounts of recordings that vary something, over HTTP."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from uuid import UUID

from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_view
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import require_role
from vigilant.server.bench.api import line_context, readable
from vigilant.server.runs.models import Recording
from vigilant.server.views import BookView

from . import hunts, matrices, sweeps, switching, trades
from .shapes import (
    CellInSerializer,
    CoresSerializer,
    HuntSerializer,
    KnobSerializer,
    MatrixInSerializer,
    MatrixPlannedSerializer,
    MatrixSerializer,
    MixtureSerializer,
    RampSerializer,
    SwitchedSerializer,
    TradeSerializer,
    UntangledSerializer,
)


class AccountView(APIView):
    """The account of a recording that varies something; each kind says what it is made by, and its shape."""

    account: Callable[[Recording], dict[str, Any]]
    shape: type[serializers.Serializer]

    def get(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        found = {"recording": recording, **type(self).account(recording)}
        return Response(self.shape(found, context=line_context([recording])).data)


@extend_schema_view(get=extend_schema(operation_id="switched_off", responses=SwitchedSerializer))
class SwitchedView(AccountView):
    """The account of a recording that switches features off one at a time."""

    account = staticmethod(switching.switched_account)
    shape = SwitchedSerializer


@extend_schema_view(get=extend_schema(operation_id="untangled", responses=UntangledSerializer))
class UntangledView(AccountView):
    """The account of a recording of changes in combinations."""

    account = staticmethod(switching.untangled_account)
    shape = UntangledSerializer


@extend_schema_view(get=extend_schema(operation_id="mixture", responses=MixtureSerializer))
class MixtureView(AccountView):
    """The account of a recording of loads alone and together."""

    account = staticmethod(switching.mixture_account)
    shape = MixtureSerializer


@extend_schema_view(get=extend_schema(operation_id="trade", responses=TradeSerializer))
class TradeView(AccountView):
    """The account of a recording that ramps a load at several richnesses."""

    account = staticmethod(trades.trade_account)
    shape = TradeSerializer


@extend_schema_view(get=extend_schema(operation_id="hunt", responses=HuntSerializer))
class HuntView(AccountView):
    """The account of a hunt for the build that a change begins with."""

    account = staticmethod(hunts.hunt_account)
    shape = HuntSerializer


class RampView(APIView):
    """The account of a recording that ramps a load; what another rig would carry with ``on``."""

    @extend_schema(operation_id="ramp", parameters=[OpenApiParameter("on", str)], responses=RampSerializer)
    def get(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        found = sweeps.ramp_account(recording, request.query_params.get("on", "")[: limits.ALIAS])
        return Response(RampSerializer({"recording": recording, **found}, context=line_context([recording])).data)


@extend_schema_view(get=extend_schema(operation_id="knob", responses=KnobSerializer))
class KnobView(AccountView):
    """The account of a recording that sweeps a knob."""

    account = staticmethod(sweeps.knob_account)
    shape = KnobSerializer


@extend_schema_view(get=extend_schema(operation_id="cores", responses=CoresSerializer))
class CoresView(AccountView):
    """The account of a recording that sweeps a number of cores."""

    account = staticmethod(sweeps.cores_account)
    shape = CoresSerializer


@extend_schema_view(get=extend_schema(operation_id="matrix", responses=MatrixSerializer))
class MatrixView(AccountView):
    """The sheet of a matrix, by a recording that is one of its cells; plan one of its cells once more."""

    account = staticmethod(matrices.matrix_account)
    shape = MatrixSerializer

    @extend_schema(operation_id="plan_cell_again", request=CellInSerializer, responses={201: MatrixPlannedSerializer})
    def post(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        require_role(request, recording.book)
        form = CellInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = matrices.plan_again(recording, form.validated_data, request.user)
        return Response({"recordings": [made.pk]}, status.HTTP_201_CREATED)


class MatricesView(BookView):
    """Plan one change over window sizes, tiers and rigs: a recording for every cell."""

    @extend_schema(operation_id="plan_matrix", request=MatrixInSerializer, responses={201: MatrixPlannedSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = MatrixInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        values = form.validated_data
        made = matrices.plan_matrix(
            self.book, values["plan"], values["windows"], values["tiers"], values["rigs"], request.user
        )
        recordings = list(made.cells.values_list("recording", flat=True))
        return Response({"recordings": recordings}, status.HTTP_201_CREATED)
