"""Imported data files."""

from __future__ import annotations

from flask import request
from pydantic import Field

from pellux.service.planning.requests import Request
from pellux.service.problems.datasets import ReadingRequest, import_stream, list_data, open_table, read_again
from pellux.service.problems.problems import data_view
from pellux.service.problems.schemas import DataSummary, DataView, ProgressView
from pellux.web.api import Api
from pellux.web.context import server


class NameQuery(Request):
    name: str = Field("data.csv", max_length=255, description="The file's name, for people.")
    token: str = Field("", max_length=80, description="Under which the progress of the import can be asked for.")


class TokenQuery(Request):
    token: str = Field("", max_length=80, description="Under which the progress can be asked for.")


def add(api: Api) -> None:
    @api.operation("GET", "/data", returns=list[DataSummary])
    def get_data_list() -> list[DataSummary]:
        """Every imported file."""
        return [
            DataSummary(hash=d.hash, name=d.name, rows=d.rows, columns=d.columns, created_at=d.created_at)
            for d in list_data(server().engine.workspace)
        ]

    @api.operation("POST", "/data", query=NameQuery, returns=DataView, status=201, consumes="application/octet-stream")
    def post_data(query: NameQuery) -> DataView:
        """Import a data file (CSV, TSV, Parquet, JSON Lines); the body is the file itself."""
        return data_view(import_stream(server().engine.workspace, request.stream.read, query.name, query.token))

    @api.operation("GET", "/imports/<token>", returns=ProgressView)
    def get_import(token: str) -> ProgressView:
        """How far an import is that was begun with a token."""
        return ProgressView(share=server().engine.workspace.told(token))

    @api.operation("POST", "/data/<content_hash>/readings", query=TokenQuery, body=ReadingRequest, returns=DataView, status=201)
    def post_reading(content_hash: str, query: TokenQuery, body: ReadingRequest) -> DataView:
        """Read a file another way: encoding, delimiter, decimal sign, types of columns."""
        return data_view(read_again(server().engine.workspace, content_hash, body, query.token))

    @api.operation("GET", "/data/<content_hash>", returns=DataView)
    def get_data(content_hash: str) -> DataView:
        """Columns of an imported file with their profile and a default role."""
        return data_view(open_table(server().engine.workspace, content_hash))
