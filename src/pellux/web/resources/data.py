"""Imported data files."""

from __future__ import annotations

from flask import request
from pydantic import Field

from pellux.service.datasets import import_stream, list_data, open_table
from pellux.service.problems import data_view
from pellux.service.requests import Request
from pellux.service.views import DataSummary, DataView
from pellux.web.api import Api
from pellux.web.context import bench


class NameQuery(Request):
    name: str = Field("data.csv", max_length=255, description="The file's name, for people.")


def add(api: Api) -> None:
    @api.operation("GET", "/data", returns=list[DataSummary])
    def get_data_list() -> list[DataSummary]:
        """Every imported file."""
        return [
            DataSummary(hash=d.hash, name=d.name, rows=d.rows, columns=d.columns, created_at=d.created_at)
            for d in list_data(bench().room.workspace)
        ]

    @api.operation("POST", "/data", query=NameQuery, returns=DataView, status=201, consumes="text/csv")
    def post_data(query: NameQuery) -> DataView:
        """Import a CSV file; the body is the file itself."""
        return data_view(import_stream(bench().room.workspace, request.stream.read, query.name))

    @api.operation("GET", "/data/<content_hash>", returns=DataView)
    def get_data(content_hash: str) -> DataView:
        """Columns of an imported file with their profile and a default role."""
        return data_view(open_table(bench().room.workspace, content_hash))
