"""The version of the computation: raised whenever the same documents and pictures come to other plans.

Versions of a look remember the one that they were carried under, so that an application can say which of its frames
would come out otherwise today. `tests/core/test_computation.py` fails when plans change under the same number.
"""

COMPUTATION = 5
