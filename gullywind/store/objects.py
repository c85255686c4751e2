"""Media in an object store that speaks S3, for servers and workers on several machines.

The media folder of each machine is then a cache by content: what is missing in it is fetched, what is made in it is
put. The client is AWS's own library (boto3); any store with its interface will do.
"""

import contextlib
import os
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from gullywind.core.ground.errors import InputError, StorageError


@dataclass(frozen=True, slots=True)
class Stored:
    """One object: its key, bytes, and how long ago it was put, s."""

    key: str
    size_bytes: int
    age_s: float


@dataclass(frozen=True)
class ObjectStore:
    """A bucket, or a folder of it.

    Attributes
    ----------
    endpoint_url : of the store; None: AWS.
    bucket, prefix : where in it; the prefix is empty or ends in a slash.
    """

    endpoint_url: str | None
    bucket: str
    prefix: str = ""

    @classmethod
    def at(cls, address: str) -> "ObjectStore":
        """From `s3://bucket/folder`, or `http://host:9000/bucket/folder` for a store of one's own.

        Raises
        ------
        InputError : it is neither.
        """
        parts = urlsplit(address)
        if parts.scheme == "s3" and parts.netloc:
            return cls(None, parts.netloc, _as_prefix(parts.path))
        bucket, _, folder = parts.path.strip("/").partition("/")
        if parts.scheme in ("http", "https") and parts.netloc and bucket:
            return cls(f"{parts.scheme}://{parts.netloc}", bucket, _as_prefix(folder))
        raise InputError(f"An object store is s3://bucket/folder or http://host/bucket/folder, got {address}")

    def put(self, key: str, path: Path) -> None:
        """Store a file's bytes under a key; raises `StorageError`."""
        with _told(f"{path.name} cannot be stored"):
            self._client.upload_file(str(path), self.bucket, self.prefix + key)

    def fetch(self, key: str, into: Path) -> bool:
        """Copy an object into a file, whole or not at all; False where there is no such object.

        Raises
        ------
        StorageError : the store does not answer, or there is no room here.
        """
        from botocore.exceptions import ClientError

        try:
            into.parent.mkdir(parents=True, exist_ok=True)
            handle, part = tempfile.mkstemp(dir=into.parent, prefix=".part-")
        except OSError as error:
            raise StorageError(f"There is no room for it here: {(error.strerror or str(error)).lower()}.") from error
        os.close(handle)
        try:
            with _told("A file cannot be fetched"):
                try:
                    self._client.download_file(self.bucket, self.prefix + key, part)
                except ClientError as error:
                    if error.response.get("Error", {}).get("Code") in ("404", "NoSuchKey"):
                        return False
                    raise
                os.replace(part, into)
            return True
        finally:
            Path(part).unlink(missing_ok=True)

    def delete(self, prefix: str) -> None:
        """Delete all objects whose keys begin so; none is no matter."""
        with _told("A file cannot be deleted"):
            found = [{"Key": self.prefix + one.key} for one in self.under(prefix)]
            # So many in one request, by the interface's own limit.
            for first in range(0, len(found), 1000):
                self._client.delete_objects(Bucket=self.bucket, Delete={"Objects": found[first : first + 1000]})

    def under(self, prefix: str) -> Iterator[Stored]:
        """All objects whose keys begin so."""
        now = datetime.now(UTC)
        with _told("The store's files cannot be listed"):
            pages = self._client.get_paginator("list_objects_v2").paginate(
                Bucket=self.bucket, Prefix=self.prefix + prefix
            )
            for page in pages:
                for one in page.get("Contents", ()):
                    age_s = (now - one["LastModified"]).total_seconds()
                    yield Stored(one["Key"].removeprefix(self.prefix), one["Size"], age_s)

    @cached_property
    def _client(self) -> Any:
        # Imported here: only who has such a store needs it.
        import boto3
        from botocore.config import Config

        # Keys and region come from where that library looks for them: the environment, its own files.
        config = Config(retries={"max_attempts": 4, "mode": "standard"}, connect_timeout=5, read_timeout=60)
        return boto3.session.Session().client("s3", endpoint_url=self.endpoint_url, config=config)


@contextlib.contextmanager
def _told(what: str) -> Iterator[None]:
    """Errors of the store in one sentence."""
    from boto3.exceptions import Boto3Error
    from botocore.exceptions import BotoCoreError, ClientError

    try:
        yield
    except (Boto3Error, BotoCoreError, ClientError) as error:
        raise StorageError(f"{what}: the object store does not answer or refuses ({type(error).__name__}).") from error
    except OSError as error:
        raise StorageError(f"{what}: {(error.strerror or str(error)).lower()}.") from error


def _as_prefix(path: str) -> str:
    trimmed = path.strip("/")
    return f"{trimmed}/" if trimmed else ""
