"""Addresses of deciding."""

from django.urls import path

from server.decisions import api

urlpatterns = [
    path("studies/<int:pk>/decision/", api.decision),
    path("studies/<int:pk>/uses/", api.uses),
    path("studies/<int:pk>/uses/<slug:name>/", api.use),
    path("studies/<int:pk>/uses/<slug:name>/restore/", api.restore_use),
    path("studies/<int:pk>/production/", api.production),
    path("studies/<int:pk>/recipes/", api.new_recipe),
    path("searches/<int:pk>/recipe/", api.search_recipe),
    path("recipes/", api.recipes),
    path("recipes/<int:pk>/", api.recipe),
    path("recipes/<int:pk>/restore/", api.restore_recipe),
    path("recipes/<int:pk>/against/<int:other>/", api.compare_recipes),
    path("recipes/<int:pk>/render/", api.render_recipe),
    path("recipes/<int:pk>/recipe.toml", api.recipe_as_toml),
    path("recipes/<int:pk>/recipe.json", api.recipe_as_json),
]
