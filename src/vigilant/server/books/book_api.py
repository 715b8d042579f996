"""A book's own affairs over HTTP: made, renamed; its members, its recorders' tokens, its log."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.validators import UnicodeUsernameValidator
from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import recorder_token, require_person
from vigilant.server.fields import Text, Whole
from vigilant.server.views import BookView, OnceView

from . import groups, people
from .api import BookSerializer, book_line
from .filters import LogFilter
from .models import Book, GroupRole, LogLine, Member, RecorderToken, name_of


class BookInSerializer(serializers.Serializer):
    name = Text(120)


class BookOfInSerializer(BookInSerializer):
    """``links_allowed`` stays as it is where it is not said."""

    links_allowed = serializers.BooleanField(allow_null=True, default=None)


class MemberSerializer(serializers.ModelSerializer):
    """``waits`` where somebody was added and has never signed in."""

    username = serializers.CharField(source="user.username")
    name = serializers.SerializerMethodField()
    waits = serializers.SerializerMethodField()

    class Meta:
        model = Member
        fields = ("id", "username", "name", "role", "by_group", "waits")
        read_only_fields = fields

    def get_name(self, member: Member) -> str:
        return name_of(member.user)

    def get_waits(self, member: Member) -> bool:
        return member.user.last_login is None and not member.user.has_usable_password()


class MemberInSerializer(serializers.Serializer):
    """``new`` where nobody of that name signs in here yet."""

    username = Text(150, validators=[UnicodeUsernameValidator()])
    role = serializers.ChoiceField(Member.Role.choices)
    new = serializers.BooleanField(default=False)


class RoleInSerializer(serializers.Serializer):
    role = serializers.ChoiceField(Member.Role.choices)


class MemberMadeSerializer(serializers.Serializer):
    """``link`` is where somebody new signs in within the hour: it is shown this once."""

    member = MemberSerializer()
    link = serializers.CharField(allow_blank=True)


class TokenSerializer(serializers.ModelSerializer):
    class Meta:
        model = RecorderToken
        fields = ("id", "label", "scope", "created_at", "expires_at", "last_used", "revoked_at")
        read_only_fields = fields


class TokenInSerializer(serializers.Serializer):
    label = Text(limits.ALIAS)
    scope = serializers.ChoiceField(RecorderToken.Scope.choices, default=RecorderToken.Scope.DELIVER)
    days = Whole(1, 3650, default=RecorderToken.DAYS)


class TokenMadeSerializer(serializers.Serializer):
    """``text`` is the token itself, shown this once."""

    token = TokenSerializer()
    text = serializers.CharField()


class LogLineSerializer(serializers.ModelSerializer):
    by = serializers.CharField(source="by_name")

    class Meta:
        model = LogLine
        fields = ("id", "at", "what", "text", "by")
        read_only_fields = fields


class BooksView(OnceView):
    """Make a book; who makes it owns it."""

    @extend_schema(request=BookInSerializer, responses={201: BookSerializer})
    def post(self, request: Request) -> Response:
        require_person(request)
        form = BookInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = people.make_book(form.validated_data["name"], request.user)
        return Response(book_line(made, Member.Role.OWNER), status.HTTP_201_CREATED)


class OwnTokenSerializer(serializers.Serializer):
    book = serializers.SlugField()
    scope = serializers.CharField()


class OwnTokenView(APIView):
    """The book that the token of the request belongs to."""

    @extend_schema(responses=OwnTokenSerializer)
    def get(self, request: Request) -> Response:
        token = recorder_token(request)
        return Response({"book": token.book.slug, "scope": token.scope})


class OwnersView(BookView):
    """What only owners change."""

    writers = Member.Role.OWNER


class BookOfView(OwnersView):
    """Another name for a book; its address stays. Whether links may show its statements without signing in."""

    @extend_schema(request=BookOfInSerializer, responses=BookSerializer)
    def put(self, request: Request, book: str) -> Response:
        form = BookOfInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        if asked["name"] != self.book.name:
            people.rename_book(self.book, asked["name"], request.user)
        if asked["links_allowed"] not in (None, self.book.links_allowed):
            people.allow_links(self.book, asked["links_allowed"], request.user)
        return Response(book_line(Book.objects.get(pk=self.book.pk), Member.Role.OWNER))


class MembersView(OwnersView):
    """Who may do what; owners add people. The answer may hold a link, so it is not kept to be given again."""

    secret = True

    @extend_schema(operation_id="members", responses=MemberSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        found = Member.objects.filter(book=self.book).select_related("user").order_by("user__username")
        return Response(MemberSerializer(found, many=True).data)

    @extend_schema(request=MemberInSerializer, responses={201: MemberMadeSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = MemberInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        member, secret = people.add_member(self.book, **form.validated_data, by=request.user)
        return Response(_made(request, member, secret), status.HTTP_201_CREATED)


def _made(request: Request, member: Member, secret: str) -> Any:
    link = request.build_absolute_uri(f"/sign-in/{secret}") if secret else ""
    return MemberMadeSerializer({"member": member, "link": link}).data


class OneMemberView(OwnersView):
    def _member(self, member: int) -> Member:
        return get_object_or_404(Member.objects.select_related("user", "book"), book=self.book, pk=member)


class MemberView(OneMemberView):
    """A member's role."""

    @extend_schema(request=RoleInSerializer, responses=MemberSerializer)
    def put(self, request: Request, book: str, member: int) -> Response:
        form = RoleInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return Response(
            MemberSerializer(people.give_role(self._member(member), **form.validated_data, by=request.user)).data
        )

    @extend_schema(responses={204: None})
    def delete(self, request: Request, book: str, member: int) -> Response:
        people.take_out(self._member(member), request.user)
        return Response(status=status.HTTP_204_NO_CONTENT)


class MemberLinkView(OneMemberView):
    """Another link for somebody who has never signed in."""

    secret = True

    @extend_schema(request=None, responses=MemberMadeSerializer)
    def post(self, request: Request, book: str, member: int) -> Response:
        found = self._member(member)
        return Response(_made(request, found, people.link_again(found, request.user)))


class GroupSerializer(serializers.ModelSerializer):
    class Meta:
        model = GroupRole
        fields = ("id", "group", "role")
        read_only_fields = fields


class GroupInSerializer(serializers.Serializer):
    group = Text(limits.GROUP)
    role = serializers.ChoiceField(Member.Role.choices)


class GroupsView(OwnersView):
    """The roles that groups elsewhere give in the book."""

    @extend_schema(operation_id="groups", responses=GroupSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        return Response(GroupSerializer(GroupRole.objects.filter(book=self.book).order_by("group"), many=True).data)

    @extend_schema(request=GroupInSerializer, responses={201: GroupSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = GroupInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = groups.give_group(self.book, **form.validated_data, by=request.user)
        return Response(GroupSerializer(made).data, status.HTTP_201_CREATED)


class GroupView(OwnersView):
    """Take a group's role; people lose what it gave them when they sign in next."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, book: str, group: int) -> Response:
        groups.take_group(get_object_or_404(GroupRole, book=self.book, pk=group), by=request.user)
        return Response(status=status.HTTP_204_NO_CONTENT)


class TokensView(OwnersView):
    """The recorders' tokens; a new one's text is in the answer this once."""

    readers = Member.Role.OWNER
    secret = True

    @extend_schema(operation_id="tokens", responses=TokenSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        return Response(TokenSerializer(RecorderToken.objects.filter(book=self.book).order_by("-pk"), many=True).data)

    @extend_schema(request=TokenInSerializer, responses={201: TokenMadeSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = TokenInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made, text = RecorderToken.issue(self.book, **form.validated_data, by=request.user)
        return Response(TokenMadeSerializer({"token": made, "text": text}).data, status.HTTP_201_CREATED)


class TokenView(OwnersView):
    """Revoke a token: from now on it is refused."""

    @extend_schema(responses=TokenSerializer)
    def delete(self, request: Request, book: str, token: int) -> Response:
        found = get_object_or_404(RecorderToken, book=self.book, pk=token)
        found.revoke(by=request.user)
        return Response(TokenSerializer(found).data)


class LogView(OwnersView, generics.ListAPIView):
    """What was done in the book that matters later, newest first."""

    readers = Member.Role.OWNER
    serializer_class = LogLineSerializer
    filterset_class = LogFilter
    queryset = LogLine.objects.none()

    def get_queryset(self) -> QuerySet[LogLine]:
        return LogLine.objects.filter(book=self.book)
