"""A file that came with a request, bounded."""

from __future__ import annotations

from django.core.files.uploadedfile import UploadedFile
from matchedpair.errors import InputError
from rest_framework.request import Request

MOST_BYTES = 512 * 1024 * 1024


def uploaded(request: Request) -> UploadedFile:
    """The form's ``file``. Raises `InputError` when it is missing or larger than half a gigabyte."""
    if int(request.META.get("CONTENT_LENGTH") or 0) > MOST_BYTES:
        raise InputError(f"the upload is larger than {MOST_BYTES >> 20} MB")
    upload = request.FILES.get("file")
    if not isinstance(upload, UploadedFile):
        raise InputError("the form must carry a file under the name 'file'")
    return upload
