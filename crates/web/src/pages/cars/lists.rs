//! Lists of cars and of a car's curves: brought, and taken away.

use axum::extract::{Multipart, State};
use axum::response::{Redirect, Response};
use spare_hour_formats::{FormatError, ListedCurve, read_cars, read_curves, write_curves};
use spare_hour_store::NewCurve;

use crate::app::{App, off_thread};
use crate::http::address::Path;
use crate::http::download::{list_file, list_format};
use crate::http::error::WebError;
use crate::http::upload::{Upload, read_upload};

/// What a file holds, or what is wrong with it as a page says it.
async fn read<T: Send + 'static>(upload: Upload, reader: fn(&[u8]) -> Result<T, FormatError>) -> Result<T, WebError> {
    let Upload { file_name, bytes, .. } = upload;
    off_thread(move || reader(&bytes)).await?.map_err(|error| {
        let file = if file_name.is_empty() { "The list" } else { &file_name };
        WebError::Refused(format!("{file}: {error}. Nothing was saved."))
    })
}

/// Takes a list of cars.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Redirect, WebError> {
    let cars = read(read_upload(form).await?, read_cars).await?;
    app.change(move |store| {
        for car in &cars {
            store.add_car(car)?;
        }
        Ok(())
    })
    .await?;
    Ok(Redirect::to("/cars"))
}

/// Takes a list of curves of a car.
pub(crate) async fn import_curves(
    State(app): State<App>,
    Path(id): Path<i32>,
    form: Multipart,
) -> Result<Redirect, WebError> {
    let curves = read(read_upload(form).await?, read_curves).await?;
    app.change(move |store| {
        let car = store.car(id)?;
        for (index, curve) in curves.into_iter().enumerate() {
            let ListedCurve { name, power, measured, explained } = curve;
            let new = NewCurve { measured, explained, ..NewCurve::new(id, name, power) };
            // The first curve of a car that has none is the one that plans use.
            if index == 0 && car.curve.is_none() {
                store.add_curve_in_use(&new)?;
            } else {
                store.add_curve(&new)?;
            }
        }
        Ok(())
    })
    .await?;
    Ok(Redirect::to(&format!("/cars/{id}")))
}

/// The curves of a car as a list.
pub(crate) async fn curves(
    State(app): State<App>,
    Path((id, file)): Path<(i32, String)>,
) -> Result<Response, WebError> {
    let format = list_format(&file, "curves")?;
    let kept = app.run(move |store| Ok(store.curves_of(store.car(id)?.id)?)).await?;
    let listed = |curve: spare_hour_store::Curve| {
        let about = curve.about;
        ListedCurve { name: about.name, power: about.power, measured: about.measured, explained: about.explained }
    };
    let listed: Vec<ListedCurve> = kept.into_iter().map(listed).collect();
    Ok(list_file(&format!("curves-{id}"), format, write_curves(&listed, format)))
}
